"""Leases: a host that stays away past the grace loses what it was given."""

from __future__ import annotations

import asyncio

from channels.db import database_sync_to_async
from django.db import transaction

from paddock_core.link_state import Link, Seen

from ..health.actions.greet import LIVE_STATES
from ..health.actions.note_link import note_link
from ..hosts.models import LIVING, Host
from ..work.actions.take_report import lose_lease
from ..work.models import Attempt
from . import connections, running


def expire_later(host_id: int, grace: float) -> None:
    """Gives the host ``grace`` seconds to come back."""
    running.start(_expire(host_id, grace))


async def _expire(host_id: int, grace: float) -> None:
    await asyncio.sleep(grace)
    if not connections.is_connected(host_id) and not running.server.stopping:
        await database_sync_to_async(expire)(host_id, grace)


@transaction.atomic
def expire(host_id: int, grace: float) -> None:
    """Gives up the host's attempts. Where the link still counts as connected, that was before this server started."""
    host = Host.objects.select_related("paddock").get(pk=host_id)
    note_link(host, Seen.SERVER_WAS_DOWN)
    why = (
        "The agent was stopped while it ran."
        if host.link == Link.STOPPED
        else f"Nothing was heard from {host.name} for {grace:g} s."
    )
    for attempt in Attempt.objects.select_related("job", "host__paddock").filter(host=host, state__in=LIVE_STATES):
        lose_lease(attempt, why)


def owed_after_start() -> list[tuple[int, float]]:
    """The hosts that were connected, or at work, when the server stopped: they get the grace to come back."""
    connected = Host.objects.filter(standing__in=LIVING, link=Link.CONNECTED.value).values_list("pk", flat=True)
    working = Attempt.objects.filter(state__in=LIVE_STATES).values_list("host", flat=True)
    owed = Host.objects.filter(pk__in={*connected, *working}).select_related("paddock")
    return [(host.pk, host.grace) for host in owed]


async def resume_after_start() -> None:
    """Starts the grace for all of them."""
    for host_id, grace in await database_sync_to_async(owed_after_start)():
        expire_later(host_id, grace)

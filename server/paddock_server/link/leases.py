"""Leases: a host that falls silent counts as lost after its grace, and loses what it was given after its lease.

The lease is longer: a network that is cut for ten minutes costs no job that runs for hours. An agent that comes back
without an attempt has lost it at once, and so has one that left with a goodbye.
"""

from __future__ import annotations

import asyncio

from channels.db import database_sync_to_async

from paddock_core.link_state import Link, LinkEvent

from ..health.actions.greet import LIVE_STATES
from ..health.actions.note_link import note_link
from ..hosts.models import LIVING, Host
from ..process import connections, event_loop
from ..process.state import part
from ..storage import action, run_in_writer
from ..work.actions.record_report import lose_lease
from ..work.models import Attempt


class _Away(dict[int, object]):
    """The latest absence of each host: one that came back and went again has its whole lease again."""


def expire_later(host_id: int, grace: float, lease: float) -> None:
    """Gives the host ``grace`` seconds to come back before it counts as lost, and ``lease`` before its attempts do."""
    part(_Away)[host_id] = absence = object()
    event_loop.start(_expire(host_id, absence, grace, lease))


async def _expire(host_id: int, absence: object, grace: float, lease: float) -> None:
    await asyncio.sleep(grace)
    if _is_still(absence, host_id):
        await run_in_writer(note_absence, host_id)
    await asyncio.sleep(max(0.0, lease - grace))
    if _is_still(absence, host_id):
        await run_in_writer(expire, host_id, lease)


def _is_still(absence: object, host_id: int) -> bool:
    return (
        part(_Away).get(host_id) is absence
        and not connections.is_connected(host_id)
        and not event_loop.server().stopping
    )


@action
def note_absence(host_id: int) -> None:
    """Where the link still counts as connected, that was before this server started."""
    note_link(Host.objects.select_related("paddock").get(pk=host_id), LinkEvent.SERVER_WAS_DOWN)


@action
def expire(host_id: int, lease: float) -> None:
    """Gives up the host's attempts."""
    host = Host.objects.select_related("paddock").get(pk=host_id)
    why = (
        "The agent was stopped while it ran."
        if host.link == Link.STOPPED
        else f"Nothing was heard from {host.name} for {lease:g} s."
    )
    for attempt in Attempt.objects.select_related("job", "host__paddock").filter(host=host, state__in=LIVE_STATES):
        lose_lease(attempt, why)


def owed_after_start() -> list[tuple[int, float, float]]:
    """The hosts that were connected, or at work, when the server stopped: they get grace and lease to come back."""
    connected = Host.objects.filter(standing__in=LIVING, link=Link.CONNECTED.value).values_list("pk", flat=True)
    working = Attempt.objects.filter(state__in=LIVE_STATES).values_list("host", flat=True)
    owed = Host.objects.filter(pk__in={*connected, *working}).select_related("paddock")
    return [(host.pk, host.grace, host.lease) for host in owed]


async def resume_after_start() -> None:
    """Starts the grace and the lease for all of them."""
    for host_id, grace, lease in await database_sync_to_async(owed_after_start)():
        expire_later(host_id, grace, lease)

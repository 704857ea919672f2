"""An agent says hello: the link is noted, and what it knows of attempts is set against what the server knows."""

from __future__ import annotations

import msgspec
from django.conf import settings

from paddock_agent import wire
from paddock_core.lifecycle import LIVE, AttemptState
from paddock_core.link_state import LinkEvent, heartbeat_for

from ...hosts.models import Host
from ...moments import moment
from ...process import connections
from ...storage import action
from ...time_line.identity import current_time_line
from ...toolchains.catalogue import catalogue, public_key
from ...toolchains.probes import send_probes
from ...work.actions.record_report import attempt_called, lose_lease
from ...work.models import Attempt
from ..models import Health
from .note_link import note_link
from .note_trials import note_trials

LIVE_STATES = [state.value for state in LIVE]
RESTARTED = "The agent came back without it: it was killed or restarted while the script ran."
OFFER_NOT_TAKEN = "The agent connected again without it: the offer did not reach it, so nothing of it ran."


@action
def greet(host_id: int, hello: wire.Hello, address: str) -> wire.Welcome:
    """The answer to hello. An attempt that the server believes in and the agent does not know is lost; one that the
    agent still runs and the server gave up on is to be stopped."""
    host = Host.objects.select_related("paddock").get(pk=host_id)
    host.facts = msgspec.to_builtins(hello.facts)
    host.address = address
    host.save(update_fields=["facts", "address"])
    note_link(host, LinkEvent.HELLO, _before(hello))
    note_trials(host, hello.cannot or [])
    _note_certificate(host, hello.certificate_ends)
    line = current_time_line()
    # What was placed since the restore, and never reached the agent, is not of the time before it.
    began_at = line.began_at if line and hello.time_line and hello.time_line != line.identity else None
    for attempt in Attempt.objects.select_related("job", "host__paddock").filter(host=host, state__in=LIVE_STATES):
        if began_at and (attempt.offered_at < began_at or attempt.wire_name in hello.attempts):
            lose_lease(attempt, "The server's database was restored to an earlier state while the host had it.")
        elif attempt.wire_name not in hello.attempts:
            lose_lease(attempt, RESTARTED if attempt.state == AttemptState.RUNNING.value else OFFER_NOT_TAKEN)
    for name in hello.attempts:
        known = attempt_called(host, name)
        if known is None or known.state not in LIVE_STATES:
            connections.send(host_id, wire.Abandon(attempt=name))
    if catalogue().number:
        send_probes([host_id])
    return wire.Welcome(
        host=host.name,
        admitted=host.standing == Host.Standing.ADMITTED,
        slots=max(1, host.slots),
        heartbeat=heartbeat_for(host.grace, settings.HEARTBEAT_SECONDS),
        services=host.watched_services,
        signer=public_key(),
        time_line=line.identity if line else "",
        warm_days=host.paddock.warm_days,
    )


def _before(hello: wire.Hello) -> str:
    """What kept the agent from connecting, as its last words tell."""
    if not hello.trouble_before:
        return ""
    last = "".join(letter if letter.isprintable() else " " for letter in hello.trouble_before[0])
    more = f" ({len(hello.trouble_before)} such lines)" if len(hello.trouble_before) > 1 else ""
    return f" Before that it wrote: {last[:200]}{more}"


def _note_certificate(host: Host, ends: float | None) -> None:
    """When the server's certificate ends, as the host sees it; a moment that cannot be is none."""
    ends_at = moment(ends)
    health, _ = Health.objects.get_or_create(host=host)
    if health.certificate_ends != ends_at:
        health.certificate_ends = ends_at
        health.save(update_fields=["certificate_ends"])

"""The link comes and goes."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import FLAPPING_WINDOW, is_flapping
from ...units import span
from ..commands import read_log
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

SHOWN = 6


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if not host.losses or not is_flapping(host.losses, now):
        return
    recent = [at for at in host.losses if at >= now - FLAPPING_WINDOW]
    restarted = (
        f" Its service manager restarted the agent {host.watch.restarts} times, so the agent itself ends."
        if host.watch and host.watch.restarts >= len(recent) - 1
        else ""
    )
    yield Found(
        f"Its link was lost {len(recent)} times in {span(now - recent[0])}. Each loss can cost the running "
        f"jobs.{restarted}",
        recent[0],
        tuple(Evidence("Lost.", at) for at in recent[-SHOWN:]),
        Remedy(
            "Hold it until the cause is known. The agent's log shows whether the network or the agent failed.",
            (read_log(host.family, host.kept_by),),
            Action.NONE if host.holding else Action.HOLD,
        ),
    )


RULE = Rule("flapping", "Unstable link", Severity.URGENT, look=look)

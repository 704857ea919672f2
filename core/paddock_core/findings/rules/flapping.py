"""The link comes and goes."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import span
from ...link_state import FLAPPING_WINDOW, is_flapping
from ..commands import read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

SHOWN = 6


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if not host.losses or not is_flapping(host.losses, now):
        return
    recent = [at for at in host.losses if at >= now - FLAPPING_WINDOW]
    restarted = (
        f" Its service manager started the agent {host.watch.restarts} times again: it is the agent that ends."
        if host.watch and host.watch.restarts >= len(recent) - 1
        else ""
    )
    yield Found(
        f"Its link was lost {len(recent)} times in {span(now - recent[0])}: every loss costs the jobs that "
        f"run.{restarted}",
        recent[0],
        tuple(Evidence("Lost.", at) for at in recent[-SHOWN:]),
        Remedy(
            "Hold it until the cause is known: the log of the agent says whether the network or the agent gave up.",
            (read_log(host.family, host.kept_by),),
            "" if host.holding else "hold",
        ),
    )


RULE = Rule("flapping", "The link comes and goes", Severity.URGENT, look=look)

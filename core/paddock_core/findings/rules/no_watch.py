"""A service keeps the agent running, and no watch reports on it."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import WATCH
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

FIRST_REPORT_PATIENCE = 300.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED or not host.kept_by or host.watch is not None:
        return
    if now - host.link_since < FIRST_REPORT_PATIENCE:
        return
    yield Found(
        "It has no watch. If its agent fails, the cause will be unknown.",
        host.link_since,
        (Evidence(f"{host.kept_by} runs the agent, and no watch has ever reported.", host.link_since),),
        Remedy("Install the watch on the machine.", (WATCH,)),
    )


RULE = Rule("no-watch", "No watch", Severity.NOTE, look=look)

"""The agent is well, but its watch is silent: if the agent fails, the cause will be unknown."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ...units import span
from ..commands import REPORT, WATCH
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED or host.watch is None or not host.watch_is_silent(now):
        return
    if now - host.link_since < host.watch_patience:
        return  # both have just come back; the watch gets its time to do so
    yield Found(
        f"Its agent is well, but its watch has not reported for {span(now - host.watch.at)}: if the agent fails, "
        "the cause will be unknown.",
        host.watch.at + host.watch_patience,
        (Evidence("The last report of the watch.", host.watch.at),),
        Remedy(
            "Send one report by hand; it prints what is wrong. Installing the watch again fixes most causes.",
            (REPORT, WATCH),
        ),
    )


RULE = Rule("watch-silent", "The watch is silent", Severity.SOON, look=look)

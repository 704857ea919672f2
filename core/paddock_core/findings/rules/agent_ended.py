"""The link closed without a goodbye, and the watch has not reported yet."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import SILENT, Link
from ..commands import START, read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.LOST or host.watch_state or host.watch_is_silent(now):
        return
    evidence = [Evidence(host.link_cause, host.link_since)]
    if host.watch:
        more = "The next report of its watch will show more."
        evidence.append(Evidence("The last report of the watch, from before that.", host.watch.at))
    else:
        more = "It has no watch, so it is unknown whether the machine is up."
    if host.link_cause == SILENT:
        sentence = f"It went silent without closing the connection. {more}"
    else:
        sentence = f"Its agent ended or was cut off without a goodbye. {more}"
    restart = "Its service manager restarts it within seconds. If not, check its log." if host.kept_by else (
        "It was started by hand. Start it again."
    )  # fmt: skip
    yield Found(
        sentence, host.link_since, tuple(evidence), Remedy(restart, (START, read_log(host.family, host.kept_by)))
    )


RULE = Rule("agent-ended", "Lost without a goodbye", Severity.URGENT, look=look)

"""The link closed without a goodbye, and the watch has not told more yet."""

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
        more = "Its watch will say more with its next report."
        evidence.append(Evidence("The last report of the watch, from before.", host.watch.at))
    else:
        more = "There is no watch on it that could say whether the machine is up."
    if host.link_cause == SILENT:
        sentence = f"Nothing is heard from it, though nobody closed the connection. {more}"
    else:
        sentence = f"Its agent ended, or was cut off, without a goodbye. {more}"
    kept = "Its service manager starts it again within seconds; if not, look why." if host.kept_by else (
        "It was started by hand: somebody has to start it."
    )  # fmt: skip
    yield Found(sentence, host.link_since, tuple(evidence), Remedy(kept, (START, read_log(host.family, host.kept_by))))


RULE = Rule("agent-ended", "Lost without a goodbye", Severity.URGENT, look=look)

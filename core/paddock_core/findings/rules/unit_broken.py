"""The agent is connected, and its service's unit was changed so that its next start fails."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED or not host.watch or not host.watch.diagnosis or host.watch_is_silent(now):
        return
    one = host.watch.diagnosis
    yield Found(
        f"It still runs, but its next start will fail. {one.sentence}",
        host.watch.since,
        tuple(Evidence(text, host.watch.at if not i else 0.0) for i, text in enumerate(one.evidence)),
        Remedy(one.remedy, one.commands),
        about=one.cause,
        unknown=one.unknown,
        possible=one.possible,
    )


RULE = Rule("unit-broken", "The next start will fail", Severity.SOON, look=look)

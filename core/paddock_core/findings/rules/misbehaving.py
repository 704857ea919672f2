"""A host or its watch sends invalid data: too many messages, or impossible numbers."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import RESTART, WATCH
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import Anomaly, HostSeen

FORGOTTEN_AFTER = 600.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    cases: tuple[tuple[str, Anomaly | None, str, Remedy], ...] = (
        (
            "too fast",
            host.rate_limited,
            "Its agent sends far too many messages. The server slows it down; other hosts are not affected.",
            Remedy(
                "Restart the agent. If it continues, this is not our agent: hold the host.",
                (RESTART,),
                Action.RESTART_AGENT,
            ),
        ),
        (
            "readings",
            host.invalid_reading,
            "Its agent sends impossible readings. The server ignores them.",
            Remedy(
                "Restart the agent. If it continues, the operating system reports wrong values.",
                (RESTART,),
                Action.RESTART_AGENT,
            ),
        ),
        (
            "watch",
            host.rejected_report,
            "The watch sent an impossible report. The server rejected it.",
            Remedy("Install the watch again. If it continues, its key has been copied.", (WATCH,)),
        ),
    )
    for about, anomaly, sentence, remedy in cases:
        if anomaly and now - anomaly.at < FORGOTTEN_AFTER:
            yield Found(sentence, anomaly.at, (Evidence(anomaly.sentence, anomaly.at),), remedy, about=about)


RULE = Rule("misbehaving", "Sends invalid data", Severity.SOON, look=look)

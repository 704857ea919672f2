"""What a host or its watch sends cannot be: too much of it, or numbers that no machine has."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import RESTART, WATCH
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import Anomaly, HostSeen

FORGOTTEN_AFTER = 600.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    cases: tuple[tuple[str, Anomaly | None, str, Remedy], ...] = (
        (
            "too fast",
            host.rate_limited,
            "Its agent sends far more often than it was told to; it is slowed down, and nobody else notices.",
            Remedy(
                "Start its agent afresh. If it goes on, it is not our agent: hold the host.", (RESTART,), "start afresh"
            ),
        ),
        (
            "readings",
            host.invalid_reading,
            "Its agent sends readings that cannot be; they are left out.",
            Remedy("Start its agent afresh. If it goes on, its system tells it nonsense.", (RESTART,), "start afresh"),
        ),
        (
            "watch",
            host.rejected_report,
            "Its watch sends what cannot be; it was not taken in.",
            Remedy("Set the watch up again. If it goes on, somebody else has its key.", (WATCH,)),
        ),
    )
    for about, anomaly, sentence, remedy in cases:
        if anomaly and now - anomaly.at < FORGOTTEN_AFTER:
            yield Found(sentence, anomaly.at, (Evidence(anomaly.sentence, anomaly.at),), remedy, about=about)


RULE = Rule("misbehaving", "Sends what cannot be", Severity.SOON, look=look)

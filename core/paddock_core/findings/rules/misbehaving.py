"""What a host or its watch sends cannot be: too much of it, or numbers that no machine has."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import RESTART, WATCH
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen, Strange

FORGOTTEN_AFTER = 600.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    cases: tuple[tuple[str, Strange | None, str, Remedy], ...] = (
        (
            "too fast",
            host.hurried,
            "Its agent sends far more often than it was told to; it is slowed down, and nobody else notices.",
            Remedy(
                "Start its agent afresh. If it goes on, it is not our agent: hold the host.", (RESTART,), "start afresh"
            ),
        ),
        (
            "readings",
            host.absurd,
            "Its agent sends readings that cannot be; they are left out.",
            Remedy("Start its agent afresh. If it goes on, its system tells it nonsense.", (RESTART,), "start afresh"),
        ),
        (
            "watch",
            host.watch_lied,
            "Its watch sends what cannot be; it was not taken in.",
            Remedy("Set the watch up again. If it goes on, somebody else has its key.", (WATCH,)),
        ),
    )
    for about, strange, sentence, remedy in cases:
        if strange and now - strange.at < FORGOTTEN_AFTER:
            yield Found(sentence, strange.at, (Evidence(strange.sentence, strange.at),), remedy, about=about)


RULE = Rule("misbehaving", "Sends what cannot be", Severity.SOON, look=look)

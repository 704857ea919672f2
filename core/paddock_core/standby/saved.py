"""What standby saves and what it costs: hours asleep, energy, money, and the time that jobs waited for wakes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

Span = tuple[float, float]


@dataclass(frozen=True)
class Rates:
    """What a host costs while it is on. One of one's own: ``energy`` for each kWh. A rented one: an ``hour``, and each
    ``start``. 0 for what was not entered."""

    energy: float = 0.0
    hour: float = 0.0
    start: float = 0.0


@dataclass(frozen=True)
class Saved:
    """Of one host or several, in a stretch. ``asleep_hours`` are those from its goodbye to the order to wake;
    ``kilowatt_hours`` what it would have drawn idle beyond what it drew asleep, None without its watts; ``money`` what
    that or its rent would have cost, None without prices; ``waited_minutes`` is how long jobs waited for its wakes, in
    sum."""

    asleep_hours: float = 0.0
    kilowatt_hours: float | None = None
    money: float | None = None
    waited_minutes: float = 0.0
    wakes: int = 0
    failed: int = 0


def saved(
    asleep: Sequence[Span],
    watts: float | None,
    watts_asleep: float | None,
    waits: Sequence[Span],
    wakes: int,
    failed: int,
    since: float,
    until: float,
    rates: Rates | None = None,
) -> Saved:
    """Times in seconds since the epoch. ``asleep`` are the spans in which one host slept, without overlap; each of
    ``waits`` is the time in which one job waited for one of its wakes. ``watts_asleep`` counts as 0 where it is not
    known, ``watts`` as unknown.

    >>> saved([(0, 7200)], 90.0, 2.0, [(7200, 7260), (7230, 7260)], 1, 0, 0, 10_000)
    Saved(asleep_hours=2.0, kilowatt_hours=0.176, money=None, waited_minutes=1.5, wakes=1, failed=0)
    """
    hours = _within(asleep, since, until) / 3600
    energy = None if watts is None else max(0.0, watts - (watts_asleep or 0.0)) * hours / 1000
    money = _money(rates or Rates(), hours, energy, wakes)
    return Saved(hours, energy, money, _within(waits, since, until) / 60, wakes, failed)


def _money(rates: Rates, hours: float, energy: float | None, wakes: int) -> float | None:
    """A rented machine costs nothing while it is off, and something each time it starts."""
    if rates.hour or rates.start:
        return hours * rates.hour - wakes * rates.start
    return energy * rates.energy if energy is not None and rates.energy else None


def _within(spans: Sequence[Span], since: float, until: float) -> float:
    return sum(max(0.0, min(ends, until) - max(begins, since)) for begins, ends in spans)


def together(several: Sequence[Saved]) -> Saved:
    """The sum; its energy and money are those of the hosts where they are known, None where no host's are."""
    return Saved(
        sum(one.asleep_hours for one in several),
        _sum_of_known([one.kilowatt_hours for one in several]),
        _sum_of_known([one.money for one in several]),
        sum(one.waited_minutes for one in several),
        sum(one.wakes for one in several),
        sum(one.failed for one in several),
    )


def _sum_of_known(numbers: Sequence[float | None]) -> float | None:
    known = [one for one in numbers if one is not None]
    return sum(known) if known else None

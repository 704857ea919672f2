"""How many hosts or slots keep the waits under a target, and when the work outgrows what there is."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..trend import theil_sen

MAX_TRIED = 64
MIN_WEEKS = 4
CONFIDENCE = 0.90
FACTOR_STEPS = 6
"""Bisections for the growth at which a target breaks: to a sixty-fourth of the range."""
MAX_GROWTH = 4.0
FIRST_HOURS = 12 * 3600.0


@dataclass(frozen=True)
class Sizing:
    """``count`` is the smallest number that keeps the 95th wait under the target, None where none does. ``curve`` are
    the points that were tried, ``(number, 95th wait in seconds)``, by number."""

    count: int | None
    curve: tuple[tuple[int, float], ...]


def smallest(wait: Callable[[int], float], target: float, most: int = MAX_TRIED) -> Sizing:
    """The smallest number from 0 to ``most`` for which ``wait`` (the 95th wait in seconds) is at most the target: the
    numbers are doubled until one does, then halved between."""
    tried: dict[int, float] = {}

    def is_enough(number: int) -> bool:
        if number not in tried:
            tried[number] = wait(number)
        return tried[number] <= target

    low, high = -1, 0
    while not is_enough(high):
        if high >= most:
            return Sizing(None, tuple(sorted(tried.items())))
        low, high = high, min(most, max(1, high * 2))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if is_enough(middle) else (middle, high)
    return Sizing(high, tuple(sorted(tried.items())))


@dataclass(frozen=True)
class Growth:
    """How fast a kind of work grows: ``rate`` is the share per week (0.04 is 4 % a week), in the interval from ``low``
    to ``high`` at 90 %. ``weeks`` are whole weeks of slot-hours, oldest first; ``level`` is the line's value in the
    last of them."""

    rate: float
    low: float
    high: float
    level: float
    weeks: tuple[float, ...]

    @property
    def is_certain(self) -> bool:
        """Whether it surely grows or shrinks."""
        return self.low > 0 or self.high < 0


def weekly(sent: NDArray[np.float64], slot_hours: NDArray[np.float64], until: float) -> tuple[float, ...]:
    """Slot-hours of each whole week before ``until``, oldest first. The first one counts as whole from the first job
    on, if that came within its first hours."""
    week = 7 * 86_400.0
    if not len(sent):
        return ()
    number = int((until - sent.min() + FIRST_HOURS) // week)
    back = np.ceil((until - sent) / week).astype(int) - 1
    inside = (back >= 0) & (back < number)
    return tuple(np.bincount(back[inside], slot_hours[inside], number)[::-1].tolist())


def growth(weeks: Sequence[float]) -> Growth | None:
    """The trend of weekly slot-hours: Theil-Sen on their logarithms (see ``trend``), for work grows by shares and one
    odd week must not decide. None with fewer than four weeks of work."""
    values = np.array(weeks, float)
    if len(values) < MIN_WEEKS or (values <= 0).any():
        return None
    number = np.arange(len(values), dtype=float)
    slope, low, high = theil_sen(number, np.log(values), CONFIDENCE)
    level = math.exp(float(np.median(np.log(values) - slope * (number - number[-1]))))
    return Growth(math.expm1(slope), math.expm1(low), math.expm1(high), level, tuple(values.tolist()))


@dataclass(frozen=True)
class Outgrown:
    """When the target breaks if nothing changes: at ``factor`` times today's work, in ``weeks`` weeks, at the soonest
    and at the latest in the bounds (None: never at that rate)."""

    factor: float
    weeks: float
    soonest: float
    latest: float | None


def breaking_factor(wait: Callable[[float], float], target: float) -> float | None:
    """How many times today's work breaks the target: 1 if it is broken already, None if four times as much does not
    break it. ``wait`` gives the 95th wait in seconds at a factor."""
    if wait(1.0) > target:
        return 1.0
    if wait(MAX_GROWTH) <= target:
        return None
    low, high = 1.0, MAX_GROWTH
    for _ in range(FACTOR_STEPS):
        middle = math.sqrt(low * high)
        low, high = (low, middle) if wait(middle) > target else (middle, high)
    return high


def outgrown(grows: Growth | None, factor: float | None) -> Outgrown | None:
    """When work that grows so reaches the factor. None where it does not surely grow, or never breaks the target."""
    if factor is None:
        return None
    if factor <= 1.0:
        return Outgrown(factor, 0.0, 0.0, 0.0)
    if grows is None or grows.low <= 0:
        return None
    weeks, soonest, latest = (math.log(factor) / math.log1p(rate) for rate in (grows.rate, grows.high, grows.low))
    return Outgrown(factor, weeks, soonest, latest)

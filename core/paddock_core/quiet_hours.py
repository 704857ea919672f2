"""Quiet hours: when a message that is due goes out."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

DAY_MINUTES = 24 * 60


@dataclass(frozen=True)
class QuietHours:
    """From ``start`` to ``end``, minutes after midnight, on the weekdays ``days`` (0 is Monday) on which they start.
    Where ``end`` is not after ``start``, they last over midnight."""

    start: int
    end: int
    days: Collection[int]

    def end_of_quiet(self, moment: datetime) -> datetime:
        """The end of the quiet hours that ``moment`` lies in, or ``moment`` itself. ``moment`` is in the zone in which
        the hours are meant; so is the result, even if the zone changes its clocks in between."""
        for back in (1, 0):
            day = (moment - timedelta(days=back)).replace(hour=0, minute=0, second=0, microsecond=0)
            if day.weekday() not in self.days:
                continue
            lasts = (self.end - self.start) % DAY_MINUTES or DAY_MINUTES
            begins = _at(day, self.start)
            ends = _at(day, self.start + lasts)
            if begins <= moment < ends:
                return self.end_of_quiet(ends)
        return moment

    def __post_init__(self) -> None:
        if not (0 <= self.start < DAY_MINUTES and 0 <= self.end < DAY_MINUTES):
            raise ValueError("quiet hours start and end within a day")
        if self.start == self.end and set(self.days) >= set(range(7)):
            raise ValueError("it would be quiet for ever")


def _at(day: datetime, minutes: int) -> datetime:
    """A time of the clock on the wall: days are counted on the calendar, hours by the clock."""
    date = day + timedelta(days=minutes // DAY_MINUTES)
    return date.replace(hour=minutes % DAY_MINUTES // 60, minute=minutes % 60)


def next_try(tries: int) -> float:
    """Seconds until a message is tried again, after ``tries`` that failed: doubled from 15 seconds to an hour."""
    return float(min(3600, 15 * 2 ** min(20, max(0, tries - 1))))

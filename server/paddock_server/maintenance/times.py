"""The times of a window: within a period, and the next ones of a rule."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from paddock_core.recurrence import FIRST_YEAR, HORIZON, LAST_YEAR, wall_times

from ..errors import Invalid
from .models import MaintenanceWindow

MAX_TIMES = 500
MAX_DURATION = timedelta(days=60)


@dataclass(frozen=True)
class MovedTime:
    """An occurrence that is not where the rule has it. ``original`` is its start by the rule, by the clock of the zone;
    "" for one besides the rule."""

    original: str
    starts_at: datetime
    ends_at: datetime

    def as_saved(self) -> list[str]:
        return [self.original, self.starts_at.astimezone(UTC).isoformat(), self.ends_at.astimezone(UTC).isoformat()]


def moved_times(window: MaintenanceWindow) -> list[MovedTime]:
    return [
        MovedTime(original, datetime.fromisoformat(starts_at), datetime.fromisoformat(ends_at))
        for original, starts_at, ends_at in window.moved
    ]


def zone_called(name: str) -> ZoneInfo:
    """Raises Invalid."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Invalid(f"Unknown time zone {name[:64]!r}. Example: Europe/Lisbon.") from None


def demand_moment(moment: datetime, pointer: str) -> None:
    """Raises Invalid for an implausible year."""
    if not FIRST_YEAR <= moment.year < LAST_YEAR:
        detail = f"A maintenance window starts between {FIRST_YEAR} and {LAST_YEAR}, not in {moment.year}."
        raise Invalid(detail, errors=[{"pointer": pointer, "detail": detail}])


def look_ahead(rule: str, starts_at: datetime, zone: ZoneInfo, now: datetime) -> tuple[list[str], datetime]:
    """The times of a rule by the clock of the zone, and until when they were looked for. Raises RuleError for a rule
    without any."""
    until = max(now, starts_at) + HORIZON
    walls = wall_times(rule, _on_the_wall(starts_at, zone), _on_the_wall(until, zone), zone)
    return [wall.isoformat() for wall in walls], until


def _on_the_wall(moment: datetime, zone: ZoneInfo) -> datetime:
    return moment.astimezone(zone).replace(tzinfo=None, microsecond=0)


def times_between(window: MaintenanceWindow, start: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    """The times that overlap, in order, at most MAX_TIMES; by the clock of the zone of the window."""
    found = [*_regular_times(window, start, end)] + [(moved.starts_at, moved.ends_at) for moved in moved_times(window)]
    yield from sorted({(begins, ends) for begins, ends in found if begins < end and ends > start})[:MAX_TIMES]


def _regular_times(window: MaintenanceWindow, start: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    """The times by the rule, or the only one, without those that were cancelled or moved; also some that do not
    overlap."""
    if not window.rule:
        yield window.starts_at, window.ends_at
        return
    lasts = window.ends_at - window.starts_at
    zone = ZoneInfo(window.zone)
    elsewhere = {*window.left_out, *(moved.original for moved in moved_times(window))}
    near = bisect_left(window.ahead, _on_the_wall(start - lasts - timedelta(hours=2), zone).isoformat())
    for wall in window.ahead[near : near + MAX_TIMES]:
        begins = datetime.fromisoformat(wall).replace(tzinfo=zone).astimezone(UTC)
        if begins >= end:
            return
        if wall not in elsewhere:
            yield begins, begins + lasts

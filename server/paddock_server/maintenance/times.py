"""The times of a window: within a period, and the next ones of a rule."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from paddock_core.recurrence import FIRST_YEAR, HORIZON, LAST_YEAR, wall_times

from ..errors import Invalid
from .models import MaintenanceWindow

MAX_TIMES = 500
MAX_DURATION = timedelta(days=60)


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
    walls = wall_times(rule, _on_the_wall(starts_at, zone), _on_the_wall(until, zone))
    return [wall.isoformat() for wall in walls], until


def _on_the_wall(moment: datetime, zone: ZoneInfo) -> datetime:
    return moment.astimezone(zone).replace(tzinfo=None, microsecond=0)


def times_between(window: MaintenanceWindow, start: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    """The times that overlap, in order, at most MAX_TIMES; by the clock of the zone of the window."""
    lasts = window.ends_at - window.starts_at
    if not window.rule:
        if window.starts_at < end and window.ends_at > start:
            yield window.starts_at, window.ends_at
        return
    zone = ZoneInfo(window.zone)
    left_out = set(window.left_out)
    near = bisect_left(window.ahead, _on_the_wall(start - lasts - timedelta(hours=2), zone).isoformat())
    for wall in window.ahead[near : near + MAX_TIMES]:
        begins = datetime.fromisoformat(wall).replace(tzinfo=zone).astimezone(UTC)
        if begins >= end:
            return
        if begins + lasts > start and wall not in left_out:
            yield begins, begins + lasts

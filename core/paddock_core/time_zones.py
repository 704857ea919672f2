"""Time zones by what their clocks show, for calendar files that bring a zone of their own."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from functools import lru_cache
from zoneinfo import ZoneInfo, available_timezones

COMPARED_DAYS = 2 * 366
"""Two years of days: every zone that changes its clock does so within one."""


def equivalent_zone(zone: tzinfo, start: datetime, preferred: Sequence[str] = ()) -> str:
    """The IANA name of a zone whose clock agrees with ``zone`` on each day of the two years from ``start``; "" if there
    is none. A preferred name wins if it agrees, then a place ("Europe/Lisbon"), then a fixed offset ("Etc/GMT+3")."""
    noon = start.astimezone(UTC).replace(hour=12, minute=0, second=0, microsecond=0)
    days = [noon + timedelta(days=number) for number in range(COMPARED_DAYS)]
    wanted = [day.astimezone(zone).utcoffset() for day in days]
    for name in (*preferred, *_zone_names()):
        candidate = ZoneInfo(name)
        if all(day.astimezone(candidate).utcoffset() == offset for day, offset in zip(days, wanted, strict=True)):
            return name
    return ""


@lru_cache
def _zone_names() -> list[str]:
    """All names, places first."""
    return sorted(available_timezones(), key=lambda name: ("/" not in name, name.startswith("Etc/"), name))

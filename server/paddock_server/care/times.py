"""When planned care is: its times within a stretch, whatever its rule."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from dateutil.rrule import DAILY, rruleset, rrulestr

from ..errors import Invalid
from .models import Care

MOST = 500
LONGEST = timedelta(days=60)


def zone_called(name: str) -> ZoneInfo:
    """Raises Invalid."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Invalid(f"There is no time zone {name[:64]!r}: write it as Europe/Lisbon.") from None


def checked_rule(text: str) -> str:
    """The rule as it is kept. Raises Invalid for one that cannot be read, or that comes more often than daily."""
    rule = text.strip().removeprefix("RRULE:")
    if not rule:
        return ""
    if len(rule) > 500 or "\n" in rule:
        raise Invalid("A rule is one line, as FREQ=WEEKLY;BYDAY=SU.")
    try:
        read = rrulestr(rule, dtstart=datetime(2026, 1, 1))
    except (ValueError, TypeError, KeyError, AttributeError) as error:
        raise Invalid(f"The rule {rule[:80]!r} cannot be read: {error}. Write it as FREQ=WEEKLY;BYDAY=SU.") from None
    if (
        isinstance(read, rruleset)
        or read._freq > DAILY
        or any(part.startswith(("BYHOUR", "BYMINUTE", "BYSECOND")) for part in rule.split(";"))
    ):  # more often than a day is no care
        raise Invalid("Care comes again daily, weekly, monthly or yearly, at one time of the day.")
    return rule


def times_between(care: Care, start: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    """The times that overlap, in order, at most MOST; by the clock of the care's zone."""
    lasts = care.ends_at - care.starts_at
    if not care.rule:
        if care.starts_at < end and care.ends_at > start:
            yield care.starts_at, care.ends_at
        return
    zone = ZoneInfo(care.zone)
    first = care.starts_at.astimezone(zone).replace(tzinfo=None)
    # A rule that ends at a moment says so in UTC; here all is by the clock on the wall.
    rule = rrulestr(care.rule.replace("Z;", ";").removesuffix("Z"), dtstart=first)
    near = (start - lasts).astimezone(zone).replace(tzinfo=None)
    left_out = set(care.left_out)
    for wall in islice(rule.xafter(near, inc=True), MOST):
        begins = wall.replace(tzinfo=zone).astimezone(UTC)
        if begins >= end:
            return
        if begins + lasts > start and wall.isoformat() not in left_out:
            yield begins, begins + lasts

"""Files the runs of days that are over, so that a year of them is read in a second."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

from django.utils import timezone

from paddock_core.planning.past import past_of

from ...storage import action
from ..models import OWN, PastDay
from ..own_runs import cancelled_while_waiting, own_runs
from ..packing import packed
from ..past_store import first_unfiled_day, own_span

GRACE = timedelta(hours=1)
"""Reports of a day may come in so long after it, from agents that were cut off."""
MAX_DAYS_AT_ONCE = 30


def days_to_file() -> list[date]:
    """The days that are over and not filed, oldest first, at most MAX_DAYS_AT_ONCE."""
    span = own_span()
    if span is None:
        return []
    day = max(first_unfiled_day(), span[0].astimezone(UTC).date())
    last = (timezone.now() - GRACE).astimezone(UTC).date()
    return [day + timedelta(days=n) for n in range((last - day).days)][:MAX_DAYS_AT_ONCE]


@action
def file_day(day: date) -> None:
    """No person does this, so the logbook has no line for it."""
    begins = datetime.combine(day, datetime.min.time(), UTC)
    ends = begins + timedelta(days=1)
    past, bad = past_of(own_runs(begins, ends))
    PastDay.objects.get_or_create(
        day=day,
        source=OWN,
        defaults={
            "runs": len(past),
            "cancelled": cancelled_while_waiting(begins, ends),
            "left_out": dict(bad.numbers),
            "data": packed(past),
        },
    )

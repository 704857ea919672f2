"""What rules would remove now: counted before anything is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

from django.db.models import Count, Min, Sum

from paddock_core.retention import RecordKind, RetentionRule

from ..runs import log_store
from ..runs.models import Output
from .expired import FIELDS, expired


@dataclass(frozen=True)
class WouldRemove:
    """``rule`` is its place in the list. ``bytes`` are of logs and files alone; ``oldest_at`` is None for nothing."""

    rule: int
    records: int
    bytes: int
    oldest_at: datetime | None


def preview(rules: Sequence[RetentionRule], now: datetime) -> list[WouldRemove]:
    """One for each rule that would remove something."""
    found = []
    for rule, records in expired(rules, now):
        unordered = records.order_by()
        totals: dict[str, Any] = unordered.aggregate(count=Count("pk"), oldest=Min(FIELDS[rule.kind].at))
        if totals["count"]:
            size = 0
            if rule.kind is RecordKind.FILES:
                size = Output.objects.filter(attempt__in=unordered).aggregate(size=Sum("size"))["size"] or 0
                size += sum(log_store.disk_use(one.log_file) for one in unordered.iterator())
            found.append(WouldRemove(rules.index(rule), totals["count"], size, _moment(totals["oldest"])))
    return found


def _moment(oldest: date | datetime) -> datetime:
    """Recorded use has days, everything else moments."""
    return oldest if isinstance(oldest, datetime) else datetime.combine(oldest, datetime.min.time(), UTC)

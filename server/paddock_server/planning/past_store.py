"""The recorded past: filed by day, and what happened since the last filed day read from the attempts."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.utils import timezone

from paddock_core.planning.past import Past, joined, past_of

from ..process.state import part
from .models import OWN, PastDay
from .own_runs import cancelled_while_waiting, own_runs
from .packing import unpacked

SOURCE_SPAN = 10**12
"""Job numbers of an imported past are moved by this much per source: they are not those of this server's jobs."""
MAX_CACHED_DAYS = 800


@dataclass(frozen=True)
class Recorded:
    """A past with what it does not hold: jobs ``cancelled`` while they waited, and runs that were ``left_out``."""

    past: Past
    cancelled: int
    left_out: dict[str, int]


class _Days:
    """Unpacked days, the last used ones."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.days: OrderedDict[tuple[int, int], Past] = OrderedDict()


def recorded_past(since: datetime, until: datetime) -> Recorded:
    """The runs that waited or worked in a stretch of time and have ended, from all sources."""
    pasts, cancelled, left_out = [], 0, dict[str, int]()
    rows = list(PastDay.objects.filter(day__gte=since.astimezone(UTC).date()).defer("data"))
    sources = {name: at for at, name in enumerate(sorted({row.source for row in rows} - {OWN}), start=1)}
    for row, past in zip(rows, _unpacked(rows), strict=True):
        if source := sources.get(row.source, 0):
            shift = source * SOURCE_SPAN
            past = replace(past, job=past.job + shift, after_job=past.after_job + shift)
        pasts.append(past)
        if row.day <= until.astimezone(UTC).date():
            cancelled += row.cancelled
            for why, number in row.left_out.items():
                left_out[why] = left_out.get(why, 0) + number
    unfiled = max(first_unfiled_day(), since.astimezone(UTC).date())
    begins = datetime.combine(unfiled, datetime.min.time(), UTC)
    live, bad = past_of(own_runs(begins, timezone.now() + timedelta(days=1)))
    cancelled += cancelled_while_waiting(begins, timezone.now())
    for why, number in bad.numbers.items():
        left_out[why] = left_out.get(why, 0) + number
    whole = joined([*pasts, live])
    return Recorded(whole.between(since.timestamp(), until.timestamp()), cancelled, left_out)


def first_unfiled_day() -> date:
    """The first day whose own runs are not filed."""
    last = PastDay.objects.filter(source=OWN).order_by("-day").values_list("day", flat=True).first()
    return last + timedelta(days=1) if last else date(2000, 1, 1)


def span_of_past() -> tuple[datetime, datetime] | None:
    """The first and the last moment of which anything is recorded; None where nothing is."""
    days = PastDay.objects.exclude(runs=0).values_list("day", flat=True)
    first, last = days.order_by("day").first(), days.order_by("-day").first()
    own = own_span()
    begins = [datetime.combine(first, datetime.min.time(), UTC)] if first else []
    ends = [datetime.combine(last, datetime.max.time(), UTC)] if last else []
    if own:
        begins.append(own[0])
        ends.append(own[1])
    return (min(begins), min(max(ends), timezone.now())) if begins else None


def own_span() -> tuple[datetime, datetime] | None:
    """The same for this server's own attempts."""
    from ..work.models import Attempt

    ended = Attempt.objects.filter(ended_at__isnull=False, started_at__isnull=False).exclude(job__is_internal=True)
    first = ended.order_by("ended_at").values_list("ended_at", flat=True).first()
    last = ended.order_by("-ended_at").values_list("ended_at", flat=True).first()
    return (first, last) if first and last else None


def _unpacked(rows: Sequence[PastDay]) -> list[Past]:
    """The runs of each day, from memory where they are there; one query for the others."""
    cache, keys = part(_Days), [(row.pk, row.runs) for row in rows]
    with cache.lock:
        found = {key: cache.days[key] for key in keys if key in cache.days}
        for key in found:
            cache.days.move_to_end(key)
    missing = {pk: (pk, runs) for pk, runs in keys if (pk, runs) not in found}
    read = PastDay.objects.filter(pk__in=missing).values_list("pk", "data")
    fresh = {missing[pk]: unpacked(bytes(data)) for pk, data in read}
    with cache.lock:
        cache.days |= fresh
        while len(cache.days) > MAX_CACHED_DAYS:
            cache.days.popitem(last=False)
    known = found | fresh
    return [known[key] for key in keys]


def seen_in(past: Past, paddocks: frozenset[str] | None) -> Past:
    """The runs on hosts of some paddocks; None for all."""
    if paddocks is None:
        return past
    inside = np.array([name in paddocks for name in past.paddocks] or [False])
    return past.where(inside[past.paddock] if len(past) else np.zeros(0, bool))

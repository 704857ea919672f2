"""How the data folder grew, and when its disk is full."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from paddock_core.trend import CONFIDENCE, theil_sen

from ..housekeeping.models import StorageSample
from ..housekeeping.storage_use import disk_trend

SHOWN = timedelta(days=90)
RATE_OVER = timedelta(days=7)
LEAST_FOR_RATE = timedelta(days=1)


@dataclass(frozen=True)
class Growth:
    """``samples`` are one a day, the last one the newest; the rates are median bytes a day over the last week, None for
    less than a day of samples. ``full_at`` is when the disk is full at its present trend, with the bounds of the
    interval; None where it does not surely fill."""

    samples: Sequence[StorageSample]
    database_rate: float | None
    logs_rate: float | None
    outputs_rate: float | None
    full_at: datetime | None
    full_soonest: datetime | None
    full_latest: datetime | None


def growth(now: datetime) -> Growth:
    """As it is known now."""
    samples = list(StorageSample.objects.filter(at__gt=now - SHOWN, at__lte=now))
    days: dict[object, StorageSample] = {one.at.date(): one for one in samples}
    week = [one for one in samples if one.at > now - RATE_OVER]
    trend = disk_trend(now)
    at = soonest = latest = None
    if trend:
        soon, late = trend.empty_between()
        at, soonest, latest = (_moment(trend.at + seconds) for seconds in (trend.empty_in(), soon, late))
    return Growth(
        list(days.values()),
        _rate(week, "database"),
        _rate(week, "logs"),
        _rate(week, "outputs"),
        at,
        soonest,
        latest,
    )


def _rate(samples: Sequence[StorageSample], name: str) -> float | None:
    if not samples or samples[-1].at - samples[0].at < LEAST_FOR_RATE:
        return None
    days = np.array([(one.at - samples[0].at) / timedelta(days=1) for one in samples])
    sizes = np.array([getattr(one, name) for one in samples], float)
    return theil_sen(days, sizes, CONFIDENCE)[0]


def _moment(seconds: float) -> datetime | None:
    """None for what is too far away to be a date."""
    try:
        return datetime.fromtimestamp(seconds, UTC)
    except (ValueError, OverflowError):
        return None

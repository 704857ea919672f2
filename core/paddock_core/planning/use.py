"""How busy the fleet was, exactly: from the intervals of the runs, without sampling."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo

import numpy as np
from numpy.typing import NDArray

from .past import TABLES, Past, Times

HOURS_OF_WEEK = 7 * 24


def slot_hours(past: Past, by: str, since: float, until: float) -> NDArray[np.float64]:
    """Slot-hours between two moments for each entry of a table (``by``: host, paddock, system, pipeline, person or
    ask). A run counts from when it was given to its host until its end: for so long it has the slot."""
    inside = np.clip(past.ended, since, until) - np.clip(past.placed, since, until)
    table = len(getattr(past, TABLES[by]))
    return np.bincount(getattr(past, by), inside * past.slots / 3600.0, table).astype(float)


def integral(starts: Times, ends: Times, weights: NDArray[np.float64], moments: Times) -> NDArray[np.float64]:
    """The integral up to each moment of how much weight is between its start and its end, in weight-seconds.

    The integral of a step function: of all that began before the moment, the time since; less the same of all that
    ended.
    """
    return _ramps(starts, weights, moments) - _ramps(ends, weights, moments)


def _ramps(starts: Times, weights: NDArray[np.float64], moments: Times) -> NDArray[np.float64]:
    order = np.argsort(starts, kind="stable")
    at = starts[order]
    # From the first moment, not from the epoch: that keeps the digits.
    origin = moments[0] if len(moments) else 0.0
    total = np.r_[0.0, np.cumsum(weights[order])]
    moment = np.r_[0.0, np.cumsum(weights[order] * (at - origin))]
    place = np.searchsorted(at, moments, side="right")
    area: Times = total[place] * (moments - origin) - moment[place]
    return area


def hour_edges(since: float, until: float, zone: tzinfo) -> tuple[Times, NDArray[np.int64]]:
    """The edges of the hours between two moments as a clock of that zone shows them, shape (n + 1,), and the hour of
    the week of each, shape (n,), from Monday midnight. Days on which the clock is set have 23 or 25 of them."""
    first = datetime.fromtimestamp(since, zone).replace(minute=0, second=0, microsecond=0)
    edges, hours = [first.timestamp()], []
    moment = first.astimezone(UTC)
    while edges[-1] < until:
        local = moment.astimezone(zone)
        hours.append(local.weekday() * 24 + local.hour)
        moment += timedelta(hours=1)
        edges.append(moment.timestamp())
    bounded = np.clip(np.array(edges), since, until)
    return bounded, np.array(hours, np.int64)


def busy_by_hour_of_week(past: Past, capacity: float, since: float, until: float, zone: tzinfo) -> NDArray[np.float64]:
    """The share of ``capacity`` slots that worked in each hour of the week, shape (7, 24), from Monday; NaN for hours
    that the stretch does not have."""
    edges, hours = hour_edges(since, until, zone)
    worked = np.diff(integral(past.placed, past.ended, past.slots.astype(float), edges))
    seconds = np.bincount(hours, np.diff(edges), HOURS_OF_WEEK)
    busy = np.bincount(hours, worked, HOURS_OF_WEEK)
    with np.errstate(invalid="ignore", divide="ignore"):
        share = busy / (seconds * capacity)
    return np.where(seconds > 0, share, np.nan).reshape(7, 24)


@dataclass(frozen=True)
class Step:
    """A stretch of time: ``waiting`` is the mean number of jobs that waited, ``busy`` of slots that worked. The waits
    are those of jobs that were given to a host in it, in seconds; None where there are none."""

    since: float
    until: float
    waiting: float
    busy: float
    runs: int
    median: float | None
    high: float | None
    longest: float | None


def over_time(past: Past, edges: Times) -> list[Step]:
    """Queue and waits between neighbouring edges, in seconds since the epoch."""
    ones = np.ones(len(past))
    seconds = np.diff(edges)
    waiting = np.diff(integral(past.released, past.placed, ones, edges)) / seconds
    busy = np.diff(integral(past.placed, past.ended, past.slots.astype(float), edges)) / seconds
    order = np.argsort(past.placed, kind="stable")
    places = np.searchsorted(past.placed[order], edges)
    waits = past.waits[order]
    steps = []
    for at in range(len(seconds)):
        some = waits[places[at] : places[at + 1]]
        found = quantiles(some, (0.5, 0.95, 1.0)) if len(some) else (None, None, None)
        steps.append(
            Step(float(edges[at]), float(edges[at + 1]), float(waiting[at]), float(busy[at]), len(some), *found)
        )
    return steps


def quantiles(values: NDArray[np.float64], shares: Sequence[float]) -> tuple[float, ...]:
    """Quantiles as people count them: the value that this share of the values does not exceed (the inverse of the
    distribution of what was seen; no interpolation). ``values`` has at least one entry."""
    ordered = np.sort(values)
    return tuple(float(ordered[max(0, int(np.ceil(share * len(ordered))) - 1)]) for share in shares)


def longest_queue(past: Past) -> int:
    """The most jobs that waited at one moment."""
    waited = past.placed > past.released
    moments = np.r_[past.released[waited], past.placed[waited]]
    steps = np.r_[np.ones(waited.sum()), -np.ones(waited.sum())]
    order = np.lexsort((steps, moments))
    return int(np.max(np.cumsum(steps[order]), initial=0))

"""The trend of a quantity that is used up, such as free disk: robust, with its uncertainty, and silent on noise.

The line is the Theil-Sen estimator (Sen, "Estimates of the regression coefficient based on Kendall's tau", 1968): the
median slope over all pairs of points, which a third of wild points do not move. Its interval comes from Kendall's tau,
which takes the points for independent; builds fill and clear disks in runs, so the readings are taken together in steps
of ``STEP`` first, as medians.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

DAY = 86_400.0
STEP = 6 * 3600.0
LEAST_STEPS = 8
"""Fewer steps than these (two days) tell no trend."""
LOOK_BACK = 21 * DAY
CONFIDENCE = 0.98
CLEARED = 0.15
"""A rise of the free share by as much of what is there is a clearing: what was before it says nothing on what
follows."""


@dataclass(frozen=True)
class Trend:
    """A falling quantity. ``slope``, ``slope_low`` and ``slope_high`` are units a second, the latter two the bounds of
    the interval at ``CONFIDENCE``, ``slope_low`` the steepest fall. ``level`` is the line's value at ``at``; ``since``
    is the first moment that it goes by, in seconds since the epoch."""

    at: float
    level: float
    slope: float
    slope_low: float
    slope_high: float
    since: float

    def empty_in(self) -> float:
        """Seconds from ``at`` until nothing is left, if it goes on so."""
        return self.level / -self.slope

    def empty_between(self) -> tuple[float, float]:
        """The same at both bounds of the interval, the sooner first."""
        return self.level / -self.slope_low, self.level / -self.slope_high

    def left_at(self, now: float) -> tuple[float, float, float]:
        """Seconds from ``now`` until nothing is left, and its bounds, the sooner first. None is below 0."""
        gone = now - self.at
        left, soonest, latest = (max(0.0, one - gone) for one in (self.empty_in(), *self.empty_between()))
        return left, soonest, latest

    def line(self, until: float, points: int = 2) -> list[tuple[float, float, float, float]]:
        """The forecast for drawing: ``(time, value, lower bound, upper bound)`` from ``at`` to ``until``, none below
        0."""
        times = np.linspace(self.at, until, points)
        return [
            (
                float(time),
                max(0.0, self.level + self.slope * (time - self.at)),
                max(0.0, self.level + self.slope_low * (time - self.at)),
                max(0.0, self.level + self.slope_high * (time - self.at)),
            )
            for time in times
        ]


def falling(times: Sequence[float], values: Sequence[float]) -> Trend | None:
    """The trend of what is left, or None where it does not surely fall.

    ``times`` are seconds since the epoch in order, ``values`` what was left then, NaN allowed. Surely: the whole
    interval of the slope lies below zero. After a clearing only what follows it counts.
    """
    if not len(times):
        return None
    when, left = _in_steps(np.asarray(times, float), np.asarray(values, float))
    start = _after_clearing(left)
    when, left = when[start:], left[start:]
    if len(when) < LEAST_STEPS:
        return None
    slope, low, high = theil_sen(when - when[-1], left, CONFIDENCE)
    if not high < 0:
        return None
    # The line must lead on from what is there now, not from where the median line happens to be.
    level = float(np.median((left - slope * (when - when[-1]))[-3:]))
    return Trend(float(when[-1]), level, float(slope), float(low), float(high), float(when[0]))


def theil_sen(x: np.ndarray, y: np.ndarray, confidence: float) -> tuple[float, float, float]:
    """The median slope over all pairs of points, and the bounds of its interval at ``confidence`` (Sen 1968), with the
    correction for ties. ``x`` and ``y`` have shape (n,), n at least 2, and ``x`` has two different values."""
    first, second = np.triu_indices(len(x), 1)
    run = x[second] - x[first]
    slopes = np.sort((y[second] - y[first])[run != 0] / run[run != 0])
    n, pairs = len(y), len(slopes)
    variance = (n * (n - 1) * (2 * n + 5) - _tied(x) - _tied(y)) / 18
    width = -NormalDist().inv_cdf((1 - confidence) / 2) * np.sqrt(max(0.0, variance))
    low = max(int(np.round((pairs - width) / 2)) - 1, 0)
    high = min(int(np.round((pairs + width) / 2)), pairs - 1)
    return float(np.median(slopes)), float(slopes[low]), float(slopes[high])


def _tied(values: np.ndarray) -> int:
    """What equal values take from the variance of Kendall's tau."""
    counts = np.unique(values, return_counts=True)[1]
    return int((counts * (counts - 1) * (2 * counts + 5)).sum())


def _in_steps(times: np.ndarray, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    keep = ~np.isnan(values) & (times >= times[-1] - LOOK_BACK)
    times, values = times[keep], values[keep]
    if not len(times):
        return times, values
    # Counted back from the newest, so that the last step is a whole one.
    steps = ((times[-1] - times) // STEP).astype(int)
    found = [(times[steps == step].mean(), np.median(values[steps == step])) for step in np.unique(steps)[::-1]]
    return np.array([time for time, _ in found]), np.array([value for _, value in found])


def _after_clearing(left: np.ndarray) -> int:
    """The place after the last clearing; 0 where there was none."""
    if len(left) < 2:
        return 0
    rises = np.flatnonzero(np.diff(left) > CLEARED * left.max()) + 1
    return int(rises[-1]) if len(rises) else 0

"""What a rehearsal changes: waits before and after, with how far the weeks themselves differ.

The spread of every figure comes from a block bootstrap (Künsch, "The jackknife and the bootstrap for general stationary
observations", 1989): whole weeks are drawn with replacement, since the jobs of one day depend on each other. Where
there are fewer than three weeks, days are the blocks. The bounds are the percentiles of the figure over the drawings.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..units import span
from .use import quantiles

DRAWINGS = 200
BOUNDS = (0.05, 0.95)
"""The interval that is given: nine of ten drawings lie in it."""
WEEK, DAY = 7 * 86_400.0, 86_400.0
MIN_BLOCKS = 3
MIN_RUNS = 20
"""Fewer runs tell no 95th percentile."""
CURVE_POINTS = 60


@dataclass(frozen=True)
class Figure:
    """A figure and the interval in which it lies in nine of ten drawings of the weeks."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Waits:
    """The waits of some runs, in seconds: half wait no longer than ``median``, 95 of 100 no longer than ``high``.
    ``never`` is how many never start. ``curve`` are points ``(seconds, share of the runs that wait no longer)``."""

    runs: int
    never: int
    median: Figure | None
    high: Figure | None
    longest: float
    curve: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Difference:
    """Two rehearsals of the same weeks. ``change`` is by how many seconds the 95th wait moves; it is ``certain`` if the
    whole interval lies on one side of zero, so that the weeks' own noise is not taken for an effect."""

    before: Waits
    after: Waits
    change: Figure | None

    @property
    def is_certain(self) -> bool:
        return self.change is not None and (self.change.low > 0 or self.change.high < 0)


def blocks(sent: NDArray[np.float64]) -> NDArray[np.int64]:
    """The week of each run, or its day where there are fewer than three weeks: whole numbers from 0."""
    if not len(sent):
        return np.zeros(0, np.int64)
    length = WEEK if (sent.max() - sent.min()) // WEEK + 1 >= MIN_BLOCKS else DAY
    found: NDArray[np.int64] = ((sent - sent.min()) // length).astype(np.int64)
    return found


def waits_of(waits: NDArray[np.float64], block: NDArray[np.int64], seed: int = 0) -> Waits:
    """``waits`` in seconds, shape (n,), NaN for runs that never start; ``block`` shape (n,)."""
    started = ~np.isnan(waits)
    some = waits[started]
    median, high = (_figure(some, _drawn(some, block[started], share, seed), share) for share in (0.5, 0.95))
    longest = float(some.max()) if len(some) else 0.0
    return Waits(len(waits), int((~started).sum()), median, high, longest, curve(some))


def difference(
    before: NDArray[np.float64],
    before_block: NDArray[np.int64],
    after: NDArray[np.float64],
    after_block: NDArray[np.int64],
    seed: int = 0,
) -> Difference:
    """The two, with the same weeks drawn for both: what the weeks share cancels out."""
    first, second = waits_of(before, before_block, seed), waits_of(after, after_block, seed)
    if first.high is None or second.high is None:
        return Difference(first, second, None)
    count = int(max(before_block.max(initial=0), after_block.max(initial=0))) + 1

    def drawn(waits: NDArray[np.float64], block: NDArray[np.int64]) -> NDArray[np.float64]:
        started = ~np.isnan(waits)
        return _drawn(waits[started], block[started], 0.95, seed, count)

    moved = drawn(after, after_block) - drawn(before, before_block)
    low, high = np.quantile(moved, BOUNDS)
    return Difference(first, second, Figure(second.high.value - first.high.value, float(low), float(high)))


def curve(waits: NDArray[np.float64]) -> tuple[tuple[float, float], ...]:
    """The distribution of waits as points, at most ``CURVE_POINTS``, evenly by share."""
    if not len(waits):
        return ()
    ordered = np.sort(waits)
    shares = np.unique(np.r_[np.linspace(0, 1, CURVE_POINTS - 2), 0.95, 1.0])
    places = np.clip(np.ceil(shares * len(ordered)).astype(int) - 1, 0, len(ordered) - 1)
    return tuple(zip(ordered[places].tolist(), shares.tolist(), strict=True))


def sentence(name: str, found: Difference) -> str:
    """What changes for a pipeline or a kind of work, for people."""
    before, after = found.before, found.after
    if before.runs == 0:
        return f"{name}: no jobs in this time."
    if after.high is None or before.high is None:
        return f"{name}: {after.runs} jobs are too few to say."
    text = f"{name}: 95 of 100 jobs wait under {at_most(after.high.value)}, before {at_most(before.high.value)}"
    if not found.is_certain:
        text += "; the weeks themselves differ as much"
    never = after.never - before.never
    if never > 0:
        text += f"; {never} jobs would never run"
    return f"{text}."


def at_most(seconds: float) -> str:
    """A wait as the bound that it stays under, for people."""
    return span(max(1.0, seconds))


def _figure(values: NDArray[np.float64], drawn: NDArray[np.float64], share: float) -> Figure | None:
    if len(values) < MIN_RUNS:
        return None
    low, high = np.quantile(drawn, BOUNDS)
    value = quantiles(values, (share,))[0]
    return Figure(value, min(value, float(low)), max(value, float(high)))


def _drawn(
    values: NDArray[np.float64], block: NDArray[np.int64], share: float, seed: int, count: int = 0
) -> NDArray[np.float64]:
    """The quantile over drawings of the blocks, shape (DRAWINGS,). The same seed draws the same blocks."""
    if not len(values):
        return np.zeros(DRAWINGS)
    number = max(count, int(block.max()) + 1)
    rng = np.random.default_rng(seed)
    order = np.argsort(values, kind="stable")
    ordered, owner = values[order], block[order]
    found = np.empty(DRAWINGS)
    for at in range(DRAWINGS):
        weight = np.bincount(rng.integers(number, size=number), minlength=number)[owner]
        total = np.cumsum(weight)
        # A drawing without any run of these says nothing: it is that of all runs.
        if total[-1] == 0:
            total = np.arange(1, len(ordered) + 1)
        found[at] = ordered[np.searchsorted(total, np.ceil(share * total[-1]))]
    return found

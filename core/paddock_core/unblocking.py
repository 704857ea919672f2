"""For all waiting jobs together: a small set of remedies that would let most of them run.

The greedy way of weighted set cover (Chvátal 1979): again and again the step that lets the most jobs run for its cost.
It costs at most 1 + ln(n) times the best choice, for n jobs.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

from .remedies import FitRemedy

MAX_STEPS = 4
"""Remedies in one way; longer ones are left out: too much work for one kind of job."""


@dataclass(frozen=True)
class Blocked:
    """Jobs that wait for the same thing. Any one of ``ways`` would let all of them run: all remedies of it together."""

    jobs: tuple[int, ...]
    ways: tuple[tuple[FitRemedy, ...], ...]


@dataclass(frozen=True)
class UnblockingStep:
    """Do these remedies next, and these jobs can run that could not before."""

    remedies: tuple[FitRemedy, ...]
    jobs: tuple[int, ...]

    @property
    def cost(self) -> int:
        return sum(remedy.cost for remedy in self.remedies)


def smallest_set(blocked: Sequence[Blocked], most: int = 12) -> list[UnblockingStep]:
    """The steps, the most helpful for its cost first; at most so many. Equal input gives equal output."""
    open_ways = [
        {frozenset(way) for way in one.ways if 0 < len(way) <= MAX_STEPS} if one.jobs else set() for one in blocked
    ]
    steps: list[UnblockingStep] = []
    while len(steps) < most:
        chosen = _best(blocked, open_ways)
        if chosen is None:
            break
        helped = [at for at, ways in enumerate(open_ways) if any(way <= chosen for way in ways)]
        jobs = tuple(sorted(job for at in helped for job in blocked[at].jobs))
        steps.append(UnblockingStep(_in_order(chosen), jobs))
        for at in helped:
            open_ways[at] = set()
        open_ways = [{way - chosen for way in ways} for ways in open_ways]
    return steps


def _best(blocked: Sequence[Blocked], open_ways: Sequence[set[frozenset[FitRemedy]]]) -> frozenset[FitRemedy] | None:
    by_way: dict[frozenset[FitRemedy], list[int]] = {}
    for at, ways in enumerate(open_ways):
        for way in ways:
            by_way.setdefault(way, []).append(at)
    best: tuple[float, int, tuple[str, ...], frozenset[FitRemedy]] | None = None
    for way in by_way:
        helped = {at for part in _parts(way) for at in by_way.get(part, ())}
        cost = sum(remedy.cost for remedy in way)
        gain = sum(len(blocked[at].jobs) for at in helped)
        key = (-gain / cost, cost, tuple(one.text for one in _in_order(way)), way)
        if best is None or key[:3] < best[:3]:
            best = key
    return best[3] if best else None


def _parts(way: frozenset[FitRemedy]) -> Iterable[frozenset[FitRemedy]]:
    for size in range(1, len(way) + 1):
        yield from map(frozenset, combinations(way, size))


def _in_order(way: frozenset[FitRemedy]) -> tuple[FitRemedy, ...]:
    return tuple(sorted(way, key=lambda one: (one.cost, one.text)))

"""The recorded past: every run of a job, in columns, so that a year of them is counted in a second."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.int32]
Times = NDArray[np.float64]

PASSED, FAILED, LOST, CANCELLED, TIMED_OUT = range(5)
OUTCOMES = ("passed", "failed", "lost", "cancelled", "timed out")


@dataclass(frozen=True)
class Ask:
    """What a job asks: canonical terms and preferences, slots, and the paddocks within its sender's reach (none: all).
    Fences are not part of it: they belong to the fleet."""

    terms: tuple[str, ...] = ()
    prefers: tuple[str, ...] = ()
    slots: int = 1
    paddocks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Run:
    """One run of a job, for building a past. Times are in seconds since the epoch: sent, free to start (``released``:
    the jobs before it had ended), given to a host, started, ended. ``after`` are numbers of the jobs before it."""

    job: int
    sent: float
    released: float
    placed: float
    started: float
    ended: float
    pipeline: str
    name: str
    host: str
    paddock: str = ""
    system: str = ""
    person: str = ""
    ask: Ask = Ask()
    priority: int = 0
    outcome: str = "passed"
    after: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class Past:
    """Runs in columns of equal length ``n``, by the time they were sent.

    Times are seconds since the epoch, shape (n,). ``pipeline``, ``name``, ``person``, ``host``, ``paddock``, ``system``
    and ``ask`` are numbers, shape (n,), into the tables of the same name in the plural; ``outcome`` into ``OUTCOMES``.
    ``after_run`` and ``after_job`` are parallel: this run (by place) follows that job (by number).
    """

    job: NDArray[np.int64]
    sent: Times
    released: Times
    placed: Times
    started: Times
    ended: Times
    priority: Numbers
    outcome: Numbers
    pipeline: Numbers
    name: Numbers
    person: Numbers
    host: Numbers
    paddock: Numbers
    system: Numbers
    ask: Numbers
    after_run: Numbers
    after_job: NDArray[np.int64]
    pipelines: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    persons: tuple[str, ...] = ()
    hosts: tuple[str, ...] = ()
    paddocks: tuple[str, ...] = ()
    systems: tuple[str, ...] = ()
    asks: tuple[Ask, ...] = ()

    def __len__(self) -> int:
        return len(self.job)

    @property
    def slots(self) -> NDArray[np.int32]:
        """Slots of each run."""
        return np.array([ask.slots for ask in self.asks] or [1], np.int32)[self.ask]

    @property
    def waits(self) -> Times:
        """Seconds from when each run was free to start until it was given to a host."""
        return self.placed - self.released

    @property
    def lengths(self) -> Times:
        """Seconds that each run worked."""
        return self.ended - self.started

    def where(self, chosen: NDArray[np.bool_]) -> Past:
        """Some of the runs; the tables stay."""
        places = np.flatnonzero(chosen)
        moved = np.full(len(self), -1, np.int32)
        moved[places] = np.arange(len(places), dtype=np.int32)
        follows = moved[self.after_run] >= 0 if len(self.after_run) else np.zeros(0, bool)
        columns: dict[str, Any] = {name: getattr(self, name)[places] for name in COLUMNS}
        return replace(
            self, **columns, after_run=moved[self.after_run[follows]], after_job=self.after_job[follows]
        )  # fmt: skip

    def of_pipeline(self, name: str) -> NDArray[np.bool_]:
        """Which runs are of this pipeline, shape (runs,); none where it sent no jobs."""
        if name not in self.pipelines:
            return np.zeros(len(self), bool)
        mine: NDArray[np.bool_] = self.pipeline == self.pipelines.index(name)
        return mine

    def between(self, since: float, until: float) -> Past:
        """The runs that waited or worked at some moment of a stretch of time."""
        return self.where((self.ended > since) & (self.sent < until))


TABLES: Mapping[str, str] = {
    "pipeline": "pipelines", "name": "names", "person": "persons", "host": "hosts", "paddock": "paddocks",
    "system": "systems", "ask": "asks",
}  # fmt: skip
COLUMNS = tuple(field.name for field in fields(Past) if field.name not in {*TABLES.values(), "after_run", "after_job"})
TIMES = {"sent", "released", "placed", "started", "ended"}


@dataclass(frozen=True)
class LeftOut:
    """Runs whose times contradict each other, by why: a clock was set, or a record is broken."""

    numbers: Mapping[str, int]

    def __bool__(self) -> bool:
        return bool(self.numbers)

    @property
    def sentence(self) -> str:
        """What was left out, for people; "" where nothing was."""
        return "; ".join(f"{number} left out: {why}" for why, number in self.numbers.items())


MAX_LENGTH = 90 * 86_400.0


def past_of(runs: Iterable[Run]) -> tuple[Past, LeftOut]:
    """The past of these runs, without those whose times contradict each other."""
    good, bad = [], dict[str, int]()
    for run in runs:
        why = _contradiction(run)
        if why:
            bad[why] = bad.get(why, 0) + 1
        else:
            good.append(run)
    good.sort(key=lambda run: (run.sent, run.job, run.placed))
    tables: dict[str, dict[Any, int]] = {name: {} for name in TABLES}

    def numbers(name: str) -> Numbers:
        table = tables[name]
        return np.array([table.setdefault(getattr(run, name), len(table)) for run in good], np.int32)

    columns: dict[str, Any] = {name: numbers(name) for name in TABLES}
    for name in TIMES:
        columns[name] = np.array([getattr(run, name) for run in good], float)
    columns["job"] = np.array([run.job for run in good], np.int64)
    columns["priority"] = np.array([run.priority for run in good], np.int32)
    columns["outcome"] = np.array([OUTCOMES.index(run.outcome) for run in good], np.int32)
    follows = [(at, job) for at, run in enumerate(good) for job in run.after]
    columns["after_run"] = np.array([at for at, _ in follows], np.int32)
    columns["after_job"] = np.array([job for _, job in follows], np.int64)
    columns |= {TABLES[name]: tuple(table) for name, table in tables.items()}
    return Past(**columns), LeftOut(bad)


def _contradiction(run: Run) -> str:
    times = (run.sent, run.released, run.placed, run.started, run.ended)
    if not all(np.isfinite(times)):
        return "a time is missing"
    if list(times) != sorted(times):
        return "it ended, started or was given to a host before the step in front of it (a clock was set)"
    if run.ended - run.started > MAX_LENGTH:
        return "it ran for more than 90 days (a clock was set)"
    if run.outcome not in OUTCOMES or run.ask.slots < 1:
        return "its outcome or its slots are not known"
    return ""


def joined(pasts: Sequence[Past]) -> Past:
    """Several pasts as one, by the time the runs were sent."""
    pasts = [past for past in pasts if len(past)]
    if len(pasts) == 1:
        return pasts[0]
    columns: dict[str, Any] = {}
    tables: dict[str, tuple[Any, ...]] = {}
    for name, table in TABLES.items():
        found: dict[Any, int] = {}
        maps = [
            np.array([found.setdefault(one, len(found)) for one in getattr(past, table)] or [0], np.int32)
            for past in pasts
        ]
        columns[name] = _chained([maps[at][getattr(past, name)] for at, past in enumerate(pasts)], np.int32)
        tables[table] = tuple(found)
    for name in COLUMNS:
        if name not in TABLES:
            dtype = np.int64 if name == "job" else float if name in TIMES else np.int32
            columns[name] = _chained([getattr(past, name) for past in pasts], dtype)
    starts = np.cumsum([0, *(len(past) for past in pasts)])
    columns["after_run"] = _chained(
        [past.after_run + np.int32(start) for past, start in zip(pasts, starts, strict=False)], np.int32
    )
    columns["after_job"] = _chained([past.after_job for past in pasts], np.int64)
    return in_order(Past(**columns | tables))


def in_order(past: Past) -> Past:
    """The runs sorted by the time they were sent."""
    order = np.lexsort((past.placed, past.job, past.sent))
    if (order == np.arange(len(order))).all():
        return past
    place_of = np.empty(len(order), np.int32)
    place_of[order] = np.arange(len(order), dtype=np.int32)
    columns: dict[str, Any] = {name: getattr(past, name)[order] for name in COLUMNS}
    return replace(past, **columns, after_run=place_of[past.after_run])


def _chained(parts: Sequence[NDArray[Any]], dtype: Any) -> NDArray[Any]:
    return np.concatenate(parts).astype(dtype) if parts else np.zeros(0, dtype)

"""The dispatch round: which waiting job goes to which host now, and why the others wait."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from heapq import heapify, heappop, heapreplace

from .fit import FitRow, FitSheet, fit_sheet
from .fleet import Host, Installation, Readiness
from .reasons import Reason, why_waiting
from .terms import Term

Asked = tuple[tuple[Term, ...], frozenset[str] | None]


@dataclass(frozen=True)
class WaitingJob:
    """One waiting job. A higher ``priority`` goes first; within one, a lower ``order`` (the older job) does.

    ``paddocks`` are those that it may go into, None for all.
    """

    id: int
    terms: tuple[Term, ...]
    priority: int = 0
    order: int = 0
    paddocks: frozenset[str] | None = None

    @property
    def asks(self) -> Asked:
        """What decides which hosts it fits: jobs that ask for the same share one fit sheet."""
        return self.terms, self.paddocks


@dataclass(frozen=True)
class Placement:
    """This job to that host, with the installations its tool terms are bound to."""

    job: int
    host: str
    binding: tuple[Installation, ...]


@dataclass(frozen=True)
class Round:
    """What one round decided: every waiting job has either a placement or a reason."""

    placements: tuple[Placement, ...]
    reasons: dict[int, Reason]


def dispatch_round(jobs: Sequence[WaitingJob], hosts: Sequence[Host]) -> Round:
    """Places waiting jobs on free slots: priority first, then age.

    Of the free hosts that fit, a job gets the least sought one: the host that the fewest of the other waiting
    requirements fit, so that a plain job does not take the only host that another could use; then the one with the most
    free slots; then the first by name. Equal input gives equal output.
    """
    free = {host.name: host.free_slots for host in hosts if host.readiness is Readiness.FREE}
    sheets: dict[Asked, FitSheet] = {}
    for job in jobs:
        if job.asks not in sheets:
            inside = [host for host in hosts if job.paddocks is None or host.paddock in job.paddocks]
            sheets[job.asks] = fit_sheet(job.terms, inside)
    sought = _sought(sheets)
    candidates = {asked: _Candidates(sheet, free, sought) for asked, sheet in sheets.items()}
    placements: list[Placement] = []
    left: list[WaitingJob] = []
    for job in sorted(jobs, key=lambda job: (-job.priority, job.order, job.id)):
        chosen = candidates[job.asks].best()
        if chosen is None:
            left.append(job)
            continue
        free[chosen.host.name] -= 1
        placements.append(Placement(job.id, chosen.host.name, chosen.binding))
    taken = {name for name, slots in free.items() if slots == 0}
    reasons = {asked: why_waiting(_with_taken(sheets[asked], taken)) for asked in {job.asks for job in left}}
    return Round(tuple(placements), {job.id: reasons[job.asks] for job in left})


class _Candidates:
    """The free hosts that fit one requirement, best first.

    A heap whose keys may be out of date: a host that got a job meanwhile only became a worse choice, so it is enough to
    look at the best one again before it is given away.
    """

    def __init__(self, sheet: FitSheet, free: dict[str, int], sought: dict[str, int]) -> None:
        self._free = free
        self._heap = [
            (sought[row.host.name], -free[row.host.name], row.host.name, row)
            for row in sheet.fitting
            if free.get(row.host.name)
        ]
        heapify(self._heap)

    def best(self) -> FitRow | None:
        """The best host that still has a free slot; None once there is none."""
        while self._heap:
            sought, known, name, row = self._heap[0]
            free = self._free[name]
            if free == 0:
                heappop(self._heap)
            elif free != -known:
                heapreplace(self._heap, (sought, -free, name, row))
            else:
                return row
        return None


def _sought(sheets: dict[Asked, FitSheet]) -> dict[str, int]:
    sought: dict[str, int] = {}
    for sheet in sheets.values():
        for row in sheet.rows:
            sought[row.host.name] = sought.get(row.host.name, 0) + row.fits
    return sought


def _with_taken(sheet: FitSheet, taken: set[str]) -> FitSheet:
    """The sheet after the round: hosts whose last free slot it gave away are busy."""
    rows = tuple(
        FitRow(replace(row.host, readiness=Readiness.BUSY, free_slots=0), row.verdicts)
        if row.host.name in taken
        else row
        for row in sheet.rows
    )
    return FitSheet(sheet.terms, rows)

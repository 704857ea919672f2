"""The dispatch round: which waiting job goes to which host now, and why the others wait."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

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
    placements: list[Placement] = []
    left: list[WaitingJob] = []
    for job in sorted(jobs, key=lambda job: (-job.priority, job.order, job.id)):
        able = [row for row in sheets[job.asks].fitting if free.get(row.host.name, 0) > 0]
        if not able:
            left.append(job)
            continue
        chosen = min(able, key=lambda row: (sought[row.host.name], -free[row.host.name], row.host.name))
        free[chosen.host.name] -= 1
        placements.append(Placement(job.id, chosen.host.name, chosen.binding))
    taken = {name for name, slots in free.items() if slots == 0}
    reasons = {asked: why_waiting(_with_taken(sheets[asked], taken)) for asked in {job.asks for job in left}}
    return Round(tuple(placements), {job.id: reasons[job.asks] for job in left})


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

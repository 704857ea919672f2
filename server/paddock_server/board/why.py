"""Why a job waits, as the API shows it: the reason, the funnel, the hosts that fit, and the near fits with their
remedies."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import replace
from datetime import datetime

import numpy as np

from paddock_core.fit import MARKED_LACKS, NEAR_FIT_LACKS, FitRow, Fitting, Requirement, fit_row, meant_terms
from paddock_core.fleet import Host as CoreHost
from paddock_core.fleet import Readiness
from paddock_core.fleet_index import FleetIndex, unpacked
from paddock_core.fleet_index import count as count_bits
from paddock_core.lifecycle import JobState
from paddock_core.reasons import Reason, ReasonKind, funnel, lacking_terms, why_waiting
from paddock_core.remedies import FitRemedy, NearFit, Remedies, RemedyKind
from paddock_core.terms import Term, read_line
from paddock_core.unblocking import Blocked, UnblockingStep, smallest_set
from paddock_core.verdicts import verdict

from ..health.watch_shown import agent_service
from ..hosts.models import Host
from ..people.actor import Actor
from ..people.models import Role
from ..toolchains.fleet_vocabulary import words as known_words
from ..work.fence import Fences
from ..work.fleet import cached_fleet
from ..work.models import Job
from ..work.round import readable, set_reason
from ..work.visible import visible_jobs
from .actions.apply_remedy import can_be_done, needed_role

MAX_ROWS = 60
"""Hosts that fit, and as many near fits, that are shown unless all are asked for."""
MAX_EXAMINED = 400
"""Hosts that lack little, for which remedies are looked for."""
MAX_HOSTS_FOR_ALL = 24
"""The same where all waiting jobs are looked at together: the board asks for that whenever something happens."""
MAX_WAYS = 6
"""Ways to help one kind of job that are weighed against those of the others."""
BLOCKED = {
    ReasonKind.NO_HOSTS.value,
    ReasonKind.NO_FIT.value,
    ReasonKind.NOT_LET_IN.value,
    ReasonKind.RESERVED.value,
    ReasonKind.TOO_MANY_SLOTS.value,
    ReasonKind.NOT_READY.value,
}
"""What a job waits for that does not pass by itself."""


def shown_fit(
    requirement: Requirement,
    prefers: Sequence[Term],
    index: FleetIndex,
    pipeline: str = "",
    reason: Reason | None = None,
    show_all: bool = False,
    is_restricted: bool = False,
) -> dict[str, object]:
    """As FitSerializer describes it; a person who ``is_restricted`` to some paddocks does not see the number of hosts
    in all."""
    fitting = Fitting(requirement, index)
    reason = reason or why_waiting(requirement, index)
    remedies = Remedies(requirement, index, pipeline, agent_service)
    fits = index.hosts_in(fitting.fits)
    fits.sort(key=lambda host: (-sum(verdict(term, host).holds for term in prefers), not host.is_ready, host.name))
    near = near_rows(fitting)
    mended = {one.host: one for one in remedies.near_fits([*near, *(fit_row(requirement, host) for host in fits)])}
    near.sort(
        key=lambda row: (mended[row.host.name].cost if row.host.name in mended else 10**6, row.lacks, row.host.name)
    )
    rows = [fit_row(requirement, host) for host in (fits if show_all else fits[:MAX_ROWS])]
    rows += near if show_all else [row for row in near if row.host.name in mended][:MAX_ROWS]
    if show_all:
        shown = {row.host.name for row in rows}
        others = [fit_row(requirement, host) for host in index.hosts_in(fitting.inside) if host.name not in shown]
        rows += sorted(others, key=lambda row: (row.lacks, row.host.name))
    surveys = _surveys_of_sleepers([row.host for row in rows])
    return {
        "terms": [
            {"term": str(term), "hosts": count_bits(fitting.admitted & index.holds(term))} for term in requirement.terms
        ],
        "prefers": [{"term": str(term), "hosts": count_bits(fitting.admitted & index.holds(term))} for term in prefers],
        "lines": [],
        "all_hosts": count_bits(fitting.admitted),
        "fits": count_bits(fitting.fits),
        "folded": count_bits(fitting.inside) - len(rows),
        "reason": reason.sentence,
        "reason_kind": reason.kind.value,
        "reason_term": reason.term,
        "reason_nearest": reason.nearest or "",
        "funnel": [
            {"name": step.name, "left": step.left, "term": step.term}
            for step in funnel(requirement, index)[1 if is_restricted else 0 :]
        ],
        "hosts": [
            _shown_row(row, prefers, requirement, mended.get(row.host.name))
            | {"surveyed_at": surveys.get(row.host.name)}
            for row in rows
        ],
    }


def _surveys_of_sleepers(hosts: Sequence[CoreHost]) -> dict[str, datetime | None]:
    """When those that sleep were last surveyed: their tools count as they were then."""
    asleep = [host.name for host in hosts if host.readiness in (Readiness.ASLEEP, Readiness.WAKING)]
    return dict(Host.objects.filter(name__in=asleep).values_list("name", "surveyed_at")) if asleep else {}


def shown_lines(texts: Sequence[str], requirement: Requirement, index: FleetIndex) -> list[dict[str, object]]:
    """Each line as it was written, read, with on how many hosts it holds: a line may join several terms."""
    admitted = Fitting(requirement, index).admitted
    read = [read_line(text, known_words()) for text in texts]
    return [{"term": str(one), "hosts": count_bits(admitted & index.holds(one.term))} for one in read]


def near_rows(fitting: Fitting, most: int = MAX_EXAMINED) -> list[FitRow]:
    """The hosts within reach that lack little, those that lack the least first."""
    index, requirement = fitting.index, fitting.requirement
    lacks = lacking_terms(fitting, fitting.requirement.terms)
    near_enough = lacks <= NEAR_FIT_LACKS
    for term in meant_terms(requirement.terms, index.words(requirement.reach)):
        near_enough |= unpacked(index.holds(term)).astype(bool) & (lacks <= MARKED_LACKS)
    possible = unpacked(fitting.inside & ~fitting.fits).astype(bool) & near_enough
    places = np.flatnonzero(possible)
    places = places[np.lexsort((index.name_ranks()[places], lacks[places]))][:most]
    return [fit_row(requirement, index.at(int(place))) for place in places]


def _shown_row(
    row: FitRow, prefers: Sequence[Term], requirement: Requirement, mended: NearFit | None
) -> dict[str, object]:
    return {
        "host": row.host.name,
        "paddock": row.host.paddock,
        "os": row.host.os,
        "readiness": row.host.readiness.value,
        "fits": row.fits,
        "lacks": row.lacks,
        "blocks": [block.value for block in row.blocks],
        "remedy": mended.text if mended else "",
        "cost": mended.cost if mended else None,
        "remedies": [shown_remedy(one) for one in mended.remedies] if mended else [],
        "verdicts": [
            {"term": str(term), "holds": held.holds, "known": held.known, "found": held.found}
            for term, held in zip(requirement.terms, row.verdicts, strict=True)
        ],
        "prefers": [str(term) for term in prefers if verdict(term, row.host).holds],
    }


def shown_remedy(remedy: FitRemedy) -> dict[str, object]:
    """As RemedySerializer describes it."""
    return {
        "kind": remedy.kind.value,
        "place": remedy.place,
        "what": remedy.what,
        "instead": remedy.instead,
        "text": remedy.text,
        "cost": remedy.cost,
        "can_be_done": can_be_done(remedy.kind),
        "needs_role": needed_role(remedy.kind).value,
        "borrows_label": remedy.kind is RemedyKind.ADD_LABEL and remedy.extra > 0,
    }


def seen_by(requirement: Requirement, actor: Actor) -> Requirement:
    """The same, for a person who may see only some paddocks."""
    seen = actor.where(Role.VIEWER)
    if seen is None:
        return requirement
    reach = frozenset(seen) if requirement.reach is None else requirement.reach & frozenset(seen)
    return replace(requirement, reach=reach)


def with_seen_reasons(actor: Actor, jobs: Iterable[Job]) -> list[Job]:
    """The jobs, with reasons that the actor may read. A reason speaks of hosts, and of jobs that come first: for who
    may see only some paddocks the reason is computed for those alone, and not saved."""
    listed = list(jobs)
    waiting = [job for job in listed if job.state == JobState.WAITING.value]
    if not waiting or actor.where(Role.VIEWER) is None:
        return listed
    requirements, unreadable = readable(waiting, Fences())
    first = {pk for job in waiting for pk in job.after}
    seen_first = set(visible_jobs(actor).filter(pk__in=first).values_list("pk", flat=True)) if first else set()
    reasons: dict[Requirement, Reason] = {}
    with cached_fleet() as index:
        for job in waiting:
            if job.reason_kind == ReasonKind.AFTER.value:
                if not set(job.after) <= seen_first:
                    set_reason(job, Reason(ReasonKind.AFTER, "It runs after another job."))
                continue
            found = unreadable.get(job.pk)
            if found is None:
                asked = seen_by(requirements[job.pk], actor)
                found = reasons.get(asked) or reasons.setdefault(asked, why_waiting(asked, index))
            kept = index.host(job.earmarked_host)
            set_reason(job, found, job.earmarked_host if kept and actor.may(Role.VIEWER, kept.paddock) else "")
    return listed


def steps_for(jobs: Iterable[Job], actor: Actor, index: FleetIndex, fences: Fences) -> list[UnblockingStep]:
    """A small set of remedies that would let most of the jobs run that wait for something which does not pass by
    itself. ``jobs`` wait."""
    kinds: dict[tuple[Requirement, str], list[int]] = {}
    blocked_jobs = [job for job in jobs if job.reason_kind in BLOCKED]
    requirements, _ = readable(blocked_jobs, fences)
    for job in blocked_jobs:
        if job.pk in requirements:
            kinds.setdefault((seen_by(requirements[job.pk], actor), job.pipeline), []).append(job.pk)
    blocked = [
        Blocked(tuple(numbers), _ways(requirement, pipeline, index))
        for (requirement, pipeline), numbers in kinds.items()
    ]
    return smallest_set(blocked)


def _ways(requirement: Requirement, pipeline: str, index: FleetIndex) -> tuple[tuple[FitRemedy, ...], ...]:
    fitting = Fitting(requirement, index)
    if fitting.ready.any():
        return ()
    fits = index.hosts_in(fitting.fits)[:MAX_HOSTS_FOR_ALL]
    rows = [*near_rows(fitting, MAX_HOSTS_FOR_ALL), *(fit_row(requirement, host) for host in fits)]
    near = Remedies(requirement, index, pipeline, agent_service).near_fits(rows)[:MAX_WAYS]
    ways = [_one_way(one.remedies) for one in near]
    wanted = ", ".join(f"`{term}`" for term in requirement.terms[:6]) or "anything"
    return tuple(ways) or ((FitRemedy(RemedyKind.NEW_HOST, "", wanted, f"bring in a host with {wanted}"),),)


def _one_way(remedies: Sequence[FitRemedy]) -> tuple[FitRemedy, ...]:
    """A misspelt label may be mended in the job or on the host: the cheaper of the two is enough."""
    corrections = [one for one in remedies if one.kind is RemedyKind.CORRECT]
    others = [one for one in remedies if one.kind is not RemedyKind.CORRECT]
    mended = {one.instead.removeprefix("label ") for one in corrections}
    return (*corrections, *(one for one in others if not (one.kind is RemedyKind.ADD_LABEL and one.what in mended)))


def groups_of(jobs: Collection[Job]) -> list[dict[str, object]]:
    """Waiting jobs that ask for the same and wait for the same, together: the largest groups of a kind first."""
    lots: dict[tuple[object, ...], list[Job]] = {}
    for job in jobs:
        key = (job.reason_kind, job.reason, tuple(job.terms), tuple(job.prefers), job.slots)
        lots.setdefault(key, []).append(job)
    found = [_shown_group(lot) for lot in lots.values()]
    return sorted(
        found, key=lambda one: (_ORDER.get(str(one["kind"]), 99), -int(str(one["count"])), str(one["oldest"]))
    )


_ORDER = {kind.value: place for place, kind in enumerate(ReasonKind)}
MAX_JOBS_PER_GROUP = 50


def _shown_group(lot: Sequence[Job]) -> dict[str, object]:
    first = lot[0]
    ordered = sorted(lot, key=lambda job: (-job.priority, job.submitted_at, job.pk))
    return {
        "kind": first.reason_kind,
        "reason": first.reason,
        "terms": first.terms,
        "prefers": first.prefers,
        "slots": first.slots,
        "count": len(lot),
        "oldest": min(job.submitted_at for job in lot),
        "pipelines": [
            {"name": name, "jobs": number} for name, number in sorted(Counter(job.pipeline for job in lot).items())
        ],
        "jobs": [
            {
                "id": job.pk,
                "name": job.name,
                "pipeline": job.pipeline,
                "priority": job.priority,
                "submitted_at": job.submitted_at,
            }
            for job in ordered[:MAX_JOBS_PER_GROUP]
        ],
    }

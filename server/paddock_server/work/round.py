"""One dispatch round on the database: what waits and what is free goes into the core, its decisions are carried out."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager

from django.db import DatabaseError
from django.utils import timezone

from paddock_core.dispatch import Placement, WaitingJob, dispatch_round
from paddock_core.errors import CoreError
from paddock_core.fit import Requirement
from paddock_core.fleet import Readiness
from paddock_core.lifecycle import JobState
from paddock_core.reasons import Reason, ReasonKind
from paddock_core.terms import DiskTerm, parts

from ..changes import announce
from ..storage import savepoint
from ..toolchains.terms_input import asked_of
from . import dispatcher, open_work
from .actions.place import place
from .fence import Fences, fences
from .fleet import REFUSAL_SECONDS, cached_fleet, requirement_of, row_of
from .models import Job
from .recent_usage import recent_usage

SOON = 0.5
log = logging.getLogger("paddock.dispatcher")

REASON_FIELDS = ["reason", "reason_kind", "reason_term", "reason_nearest", "reason_places", "earmarked_host"]


def run_round() -> None:
    """Places what can be placed; every other waiting job gets its reason."""
    jobs = {job.pk: job for job in open_work.waiting()}
    if not jobs:
        dispatcher.disks_matter(False)
        return
    requirements, unreadable = readable(jobs.values(), fences())
    later = {**unreadable, **behind_others(jobs.values())}
    recent = recent_usage()
    now = timezone.now()
    waiting = [
        WaitingJob(
            job.pk,
            requirements[job.pk],
            asked_of(tuple(f"prefer {one}" for one in job.prefers)).prefers,
            job.pipeline,
            job.priority,
            (now - job.submitted_at).total_seconds(),
            recent.expected(job.pipeline, job.name),
            job.earmarked_host,
        )
        for job in jobs.values()
        if job.pk not in later
    ]
    with cached_fleet() as index:
        decided = dispatch_round(waiting, index, recent.use, recent.warm)
        refusing = index.state(Readiness.REFUSING).any()
    dispatcher.disks_matter(any(_asks_for_disk(job) for job in waiting))
    if refusing:  # nothing else tells when they take jobs again, and whoever refused may have done so before a restart
        dispatcher.wake_later(REFUSAL_SECONDS + 1)
    try:
        _place_all(decided.placements, contextlib.nullcontext)
    except DatabaseError:
        raise
    except Exception:
        # What was read above is worth nothing now; the reasons are given by the next round.
        log.exception("A job could not be placed; the others are placed one by one.")
        _place_all(decided.placements, savepoint)
        dispatcher.wake_later(SOON)
        return
    _give_reasons(jobs.values(), {**decided.reasons, **later}, decided.earmarked)


def _place_all(placements: Sequence[Placement], bounds: Callable[[], AbstractContextManager[None]]) -> None:
    """All in one savepoint; with ``bounds`` one for each, so that one that cannot be placed costs only itself."""
    if not placements:
        return
    with savepoint():
        for placement in placements:
            try:
                with bounds():
                    place(placement.job.id, row_of(placement.host.name), placement.binding, placement.why)
            except Exception as error:
                if bounds is not savepoint or isinstance(error, DatabaseError):
                    raise
                log.exception("Job %s could not be placed; it is tried again in the next round.", placement.job.id)


def _give_reasons(jobs: Iterable[Job], reasons: Mapping[int, Reason], kept: Mapping[int, str]) -> None:
    changed = []
    for job in jobs:
        if job.pk in reasons and not has_reason(job, reasons[job.pk], kept.get(job.pk, "")):
            open_work.changing(job)
            set_reason(job, reasons[job.pk], kept.get(job.pk, ""))
            changed.append(job)
    if not changed:
        return
    with savepoint():
        Job.objects.bulk_update(changed, REASON_FIELDS, batch_size=200)
    for job in changed:
        announce("job", job.pk)


def requirement_for(job: Job, fences: Fences) -> Requirement:
    """What the core needs to know of a job to say which hosts fit."""
    return requirement_of(
        tuple(job.terms), job.slots, frozenset(job.paddocks) or None, fences.of_job(job), job.is_internal
    )


def readable(jobs: Iterable[Job], fences: Fences) -> tuple[dict[int, Requirement], dict[int, Reason]]:
    """What each job asks for; and a reason for those whose terms cannot be read any more, since a tool's versions are
    ordered otherwise now: such a job must not keep the others from being placed."""
    found, unreadable = {}, {}
    for job in jobs:
        try:
            found[job.pk] = requirement_for(job, fences)
        except CoreError as error:
            detail = f"Its terms cannot be read any more: {error}. Change them."
            unreadable[job.pk] = Reason(ReasonKind.NO_FIT, detail)
    return found, unreadable


def behind_others(jobs: Iterable[Job]) -> dict[int, Reason]:
    """The jobs that wait for others to pass, each with its reason."""
    jobs = [job for job in jobs if job.after]
    others = Job.objects.filter(pk__in={pk for job in jobs for pk in job.after}).only("id", "name", "state")
    open_jobs = {other.pk: other for other in others if other.state != JobState.PASSED.value}
    found = {}
    for job in jobs:
        left = [open_jobs[pk] for pk in job.after if pk in open_jobs]
        if left:
            detail = ", ".join(f"{other.name} (job {other.pk})" for other in left[:3])
            more = f" and {len(left) - 3} more" if len(left) > 3 else ""
            found[job.pk] = Reason(ReasonKind.AFTER, f"It runs after {detail}{more}.")
    return found


def _asks_for_disk(job: WaitingJob) -> bool:
    return any(isinstance(one, DiskTerm) for term in job.requirement.terms for one in parts(term))


def has_reason(job: Job, reason: Reason, earmarked_host: str) -> bool:
    """Whether the job has this reason already."""
    return (job.reason, job.reason_kind, job.earmarked_host) == (
        reason.sentence[:2000],
        reason.kind.value,
        earmarked_host,
    )


def set_reason(job: Job, reason: Reason, earmarked_host: str = "") -> None:
    """Puts the reason on the job, unsaved."""
    job.reason, job.reason_kind, job.earmarked_host = reason.sentence[:2000], reason.kind.value, earmarked_host
    job.reason_term, job.reason_nearest, job.reason_places = reason.term, reason.nearest or "", list(reason.places)

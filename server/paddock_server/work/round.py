"""One dispatch round on the database: what waits and what is free goes into the core, its decisions are carried out."""

from __future__ import annotations

import logging
from collections.abc import Iterable

from django.db import DatabaseError
from django.utils import timezone

from paddock_core.dispatch import Placement, WaitingJob, dispatch_round
from paddock_core.errors import CoreError
from paddock_core.fit import Requirement
from paddock_core.fleet import Readiness
from paddock_core.lifecycle import JobState
from paddock_core.reasons import Reason, ReasonKind
from paddock_core.terms import DiskTerm, parts

from ..hosts.models import Host
from ..link import feed
from . import dispatcher
from .actions.place import place
from .fence import Fences
from .fleet import REFUSAL_SECONDS, asked_of, kept_fleet, requirement_of
from .lately import lately
from .models import Job

log = logging.getLogger("paddock.dispatcher")

COLUMNS = (
    "id", "name", "pipeline", "terms", "prefers", "slots", "priority", "paddocks", "let_in", "is_own", "after",
    "kept_host", "submitted_at", "reason", "reason_kind",
)  # fmt: skip
REASON_FIELDS = ["reason", "reason_kind", "reason_term", "reason_nearest", "reason_places", "kept_host"]


def run_round() -> None:
    """Places what can be placed; every other waiting job gets its reason."""
    jobs = {job.pk: job for job in Job.objects.filter(state=JobState.WAITING.value).only(*COLUMNS)}
    if not jobs:
        dispatcher.disks_matter(False)
        return
    fences = Fences()
    requirements, unreadable = readable(jobs.values(), fences)
    later = {**unreadable, **behind_others(jobs.values())}
    recent = lately()
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
            job.kept_host,
        )
        for job in jobs.values()
        if job.pk not in later
    ]
    with kept_fleet() as index:
        decided = dispatch_round(waiting, index, recent.use, recent.warm)
        refusing = index.state(Readiness.REFUSING).any()
    dispatcher.disks_matter(any(_asks_for_disk(job) for job in waiting))
    if refusing:  # nothing else tells when they take jobs again, and whoever refused may have done so before a restart
        dispatcher.wake_later(REFUSAL_SECONDS + 1)
    for placement in decided.placements:
        try:
            _place(placement)
        except DatabaseError:
            raise
        except Exception:
            log.exception("Job %s could not be placed; it is tried again in the next round.", placement.job.id)
    reasons = {**decided.reasons, **later}
    changed = [
        job
        for job in jobs.values()
        if job.pk in reasons and set_reason(job, reasons[job.pk], decided.kept.get(job.pk, ""))
    ]
    Job.objects.bulk_update(changed, REASON_FIELDS, batch_size=200)
    for job in changed:
        feed.tell("job", job.pk)


def requirement_for(job: Job, fences: Fences) -> Requirement:
    """What the core needs to know of a job to say which hosts fit."""
    return requirement_of(tuple(job.terms), job.slots, frozenset(job.paddocks) or None, fences.of_job(job), job.is_own)


def readable(jobs: Iterable[Job], fences: Fences) -> tuple[dict[int, Requirement], dict[int, Reason]]:
    """What each job asks for; and a reason for those whose terms cannot be read any more, since a tool's versions are
    ordered otherwise now: such a job must not keep the others from being placed."""
    found, unreadable = {}, {}
    for job in jobs:
        try:
            found[job.pk] = requirement_for(job, fences)
        except CoreError as error:
            said = f"Its terms cannot be read any more: {error}. Change them."
            unreadable[job.pk] = Reason(ReasonKind.NO_FIT, said)
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
            said = ", ".join(f"{other.name} (job {other.pk})" for other in left[:3])
            more = f" and {len(left) - 3} more" if len(left) > 3 else ""
            found[job.pk] = Reason(ReasonKind.AFTER, f"It runs after {said}{more}.")
    return found


def _asks_for_disk(job: WaitingJob) -> bool:
    return any(isinstance(one, DiskTerm) for term in job.requirement.terms for one in parts(term))


def _place(placement: Placement) -> None:
    host = Host.objects.select_related("paddock").get(name=placement.host.name, standing=Host.Standing.ADMITTED)
    place(placement.job.id, host, placement.binding, placement.why)


def set_reason(job: Job, reason: Reason, kept_host: str = "") -> bool:
    """Puts the reason on the job, unsaved; True if it differs from the one before."""
    if (job.reason, job.reason_kind, job.kept_host) == (reason.sentence[:2000], reason.kind.value, kept_host):
        return False
    job.reason, job.reason_kind, job.kept_host = reason.sentence[:2000], reason.kind.value, kept_host
    job.reason_term, job.reason_nearest, job.reason_places = reason.term, reason.nearest or "", list(reason.places)
    return True

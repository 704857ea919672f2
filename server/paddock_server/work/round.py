"""One dispatch round on the database: what waits and what is free goes into the core, its decisions are carried out."""

from __future__ import annotations

from paddock_core.dispatch import Placement, WaitingJob, dispatch_round
from paddock_core.lifecycle import JobState
from paddock_core.reasons import Reason

from ..hosts.models import Host
from ..link import feed
from .actions.place import place
from .fleet import fleet, terms_of
from .models import Job

COLUMNS = ("id", "terms", "priority", "paddocks", "reason", "reason_kind")


def run_round() -> None:
    """Places what can be placed; every other waiting job gets its reason."""
    jobs = {job.pk: job for job in Job.objects.filter(state=JobState.WAITING.value).only(*COLUMNS)}
    if not jobs:
        return
    waiting = [
        WaitingJob(job.pk, terms_of(tuple(job.terms)), job.priority, job.pk, frozenset(job.paddocks) or None)
        for job in jobs.values()
    ]
    decided = dispatch_round(waiting, fleet())
    for placement in decided.placements:
        _place(placement)
    changed = [job for job in jobs.values() if job.pk in decided.reasons and set_reason(job, decided.reasons[job.pk])]
    Job.objects.bulk_update(changed, ["reason", "reason_kind", "reason_term", "reason_nearest"], batch_size=200)
    for job in changed:
        feed.tell("job", job.pk)


def _place(placement: Placement) -> None:
    host = Host.objects.select_related("paddock").get(name=placement.host, standing=Host.Standing.ADMITTED)
    place(placement.job, host, placement.binding)


def set_reason(job: Job, reason: Reason) -> bool:
    """Puts the reason on the job, unsaved; True if it differs from the one before."""
    if (job.reason, job.reason_kind) == (reason.sentence, reason.kind.value):
        return False
    job.reason, job.reason_kind = reason.sentence[:2000], reason.kind.value
    job.reason_term, job.reason_nearest = reason.term, reason.nearest or ""
    return True

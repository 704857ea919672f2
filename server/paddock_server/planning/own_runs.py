"""This server's own attempts, as runs of the recorded past."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import QuerySet

from paddock_core.planning.past import OUTCOMES, Ask, Run

from ..work.models import Attempt, Job


def own_runs(since: datetime, until: datetime) -> Iterator[Run]:
    """The runs that ended from ``since`` to before ``until``, without the server's own proofs."""
    attempts = (
        Attempt.objects.filter(ended_at__gte=since, ended_at__lt=until, started_at__isnull=False)
        .exclude(job__is_internal=True)
        .select_related("job", "host__paddock")
        .order_by("id")
    )
    ended = _ended_jobs(attempts)
    before: dict[int, float] = {}
    for attempt in attempts.iterator(2000):
        job, facts = attempt.job, attempt.facts or attempt.host.facts
        assert attempt.started_at and attempt.ended_at
        sent = job.submitted_at.timestamp()
        released = max([sent, *(ended[pk] for pk in job.after if pk in ended)])
        if attempt.number > 1 and job.pk in before:
            released = max(released, before[job.pk])
        before[job.pk] = attempt.ended_at.timestamp()
        placed, started = attempt.offered_at.timestamp(), attempt.started_at.timestamp()
        yield Run(
            job=job.pk,
            sent=sent,
            # A job that was sent again by hand or changed may have been offered before the others ended.
            released=min(released, placed),
            placed=placed,
            # Started is by the host's clock: it may be some milliseconds off.
            started=max(started, placed),
            ended=attempt.ended_at.timestamp(),
            pipeline=job.pipeline,
            name=job.name,
            host=attempt.host.name,
            paddock=attempt.host.paddock.name,
            system=str(facts.get("os", "")),
            person=job.submitted_by,
            ask=Ask(tuple(job.terms), tuple(job.prefers), job.slots, tuple(sorted(job.paddocks))),
            priority=job.priority,
            outcome=attempt.state if attempt.state in OUTCOMES else "failed",
            after=tuple(job.after),
        )


def cancelled_while_waiting(since: datetime, until: datetime) -> int:
    """Jobs that were cancelled before they ran: no rehearsal knows how long they would have taken."""
    ended = Job.objects.filter(state="cancelled", started_at=None, ended_at__gte=since, ended_at__lt=until)
    return ended.exclude(is_internal=True).count()


def _ended_jobs(attempts: QuerySet[Attempt]) -> dict[int, float]:
    """When the jobs ended that others of these were waiting for."""
    before = {pk for after in attempts.exclude(job__after=[]).values_list("job__after", flat=True) for pk in after}
    ends = Job.objects.filter(pk__in=before, ended_at__isnull=False).values_list("pk", "ended_at")
    return {pk: at.timestamp() for pk, at in ends if at}

"""What is known of pipelines: their jobs of the last 30 days, where these ran, and how long they waited."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from statistics import median

from django.utils import timezone

from paddock_core.fit import Fitting
from paddock_core.fleet_index import count as count_bits
from paddock_core.lifecycle import LIVE, JobState

from ..errors import NotThere
from ..hosts.queries import visible_paddocks
from ..people.actor import Actor
from ..work.fence import Fences
from ..work.fleet import cached_fleet
from ..work.models import Attempt, Job
from ..work.recent_usage import recent_usage
from ..work.round import readable
from ..work.visible import visible_attempts, visible_jobs
from .why import seen_by

WINDOW = timedelta(days=30)
MAX_JOBS = 50_000
MAX_RUNS = 60
FAILED = {JobState.FAILED.value, JobState.LOST.value, JobState.TIMED_OUT.value}


def all_pipelines(actor: Actor) -> list[dict[str, object]]:
    """As PipelineSerializer describes it; the one that sent last comes first."""
    by_name: dict[str, list[Job]] = defaultdict(list)
    for job in _jobs(actor):
        by_name[job.pipeline].append(job)
    hosts: dict[str, set[int]] = defaultdict(set)
    ran = visible_attempts(actor).filter(job__submitted_at__gt=timezone.now() - WINDOW, started_at__isnull=False)
    for pipeline, host in ran.values_list("job__pipeline", "host").distinct():
        hosts[pipeline].add(host)
    fences = Fences()
    seen = {paddock.name for paddock in visible_paddocks(actor)}
    return [_shown(name, jobs, len(hosts[name]), fences, seen) for name, jobs in by_name.items()]


def one_pipeline(actor: Actor, name: str) -> dict[str, object]:
    """As PipelineSheetSerializer describes it. Raises NotThere."""
    jobs = _jobs(actor, name)
    if not jobs:
        raise NotThere(f"No job of a pipeline called {name} was sent in the last 30 days.")
    attempts: dict[int, list[Attempt]] = defaultdict(list)
    for attempt in visible_attempts(actor).filter(job__in=[job.pk for job in jobs]).select_related("host"):
        attempts[attempt.job_id].append(attempt)
    fences = Fences()
    seen = {paddock.name for paddock in visible_paddocks(actor)}
    ran_on = {one.host_id for several in attempts.values() for one in several if one.started_at}
    by_job: dict[str, list[Job]] = defaultdict(list)
    for job in jobs:
        by_job[job.name].append(job)
    with cached_fleet() as index:
        requirements, _ = readable((several[0] for several in by_job.values()), fences)
        fits = {
            pk: count_bits(Fitting(seen_by(requirement, actor), index).fits) for pk, requirement in requirements.items()
        }
    sheet = [_shown_job(called, several, attempts, fits.get(several[0].pk, 0)) for called, several in by_job.items()]
    return {**_shown(name, jobs, len(ran_on), fences, seen), "sheet": sheet}


def _jobs(actor: Actor, pipeline: str = "") -> Sequence[Job]:
    """The newest first."""
    seen = (
        visible_jobs(actor).prefetch_related(None).filter(submitted_at__gt=timezone.now() - WINDOW, is_internal=False)
    )
    if pipeline:
        seen = seen.filter(pipeline=pipeline)
    return list(seen.defer("script", "environment", "outputs").order_by("-id")[:MAX_JOBS])


def _shown(name: str, jobs: Sequence[Job], hosts: int, fences: Fences, seen: set[str]) -> dict[str, object]:
    waits = _waits(jobs)
    use = recent_usage().use
    inside = fences.letting_in(name)
    return {
        "name": name,
        "jobs": len(jobs),
        "waiting": sum(job.state == JobState.WAITING.value for job in jobs),
        "running": sum(JobState(job.state) in LIVE for job in jobs),
        "failed": sum(job.state in FAILED for job in jobs),
        "hosts": hosts,
        "wait_median": median(waits) if waits else None,
        "wait_longest": max(waits, default=None),
        "last_at": jobs[0].submitted_at,
        "share": use.get(name, 0.0) / (sum(use.values()) or 1.0),
        "paddocks": sorted(seen if inside is None else seen & inside),
    }


def _waits(jobs: Iterable[Job]) -> list[float]:
    return [_seconds(job.submitted_at, job.started_at) for job in jobs if job.started_at]


def _seconds(start: datetime, end: datetime) -> float:
    return (end - start).total_seconds()


def _shown_job(name: str, jobs: Sequence[Job], attempts: dict[int, list[Attempt]], fits: int) -> dict[str, object]:
    newest = jobs[0]
    tries = [one for job in jobs for one in attempts[job.pk] if one.started_at]
    runs, failed = Counter(one.host.name for one in tries), Counter(o.host.name for o in tries if o.state in FAILED)
    took = [
        _seconds(one.started_at, one.ended_at)
        for one in tries
        if one.started_at and one.ended_at and one.state == "passed"
    ]
    waits = _waits(jobs)
    return {
        "name": name,
        "terms": newest.terms,
        "prefers": newest.prefers,
        "slots": newest.slots,
        "times": len(jobs),
        "wait_median": median(waits) if waits else None,
        "took_median": median(took) if took else None,
        "fits": fits,
        "hosts": [{"host": host, "runs": number, "failed": failed[host]} for host, number in runs.most_common(20)],
        "runs": [_shown_run(job, attempts[job.pk]) for job in reversed(jobs[:MAX_RUNS])],
    }


def _shown_run(job: Job, attempts: Sequence[Attempt]) -> dict[str, object]:
    last = max(attempts, key=lambda one: one.number, default=None)
    return {
        "id": job.pk,
        "state": job.state,
        "submitted_at": job.submitted_at,
        "waited": _seconds(job.submitted_at, job.started_at) if job.started_at else None,
        "took": _seconds(last.started_at, last.ended_at) if last and last.started_at and last.ended_at else None,
        "host": last.host.name if last else "",
    }

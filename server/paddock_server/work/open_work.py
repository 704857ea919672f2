"""Jobs that are not over, and the newest attempt of each, in the writer's memory.

In a running server only the writer changes jobs, and it changes these objects and their rows together: what is here is
what the rows say, the changes of the present batch included. What an action took back is read again. Elsewhere (a
command, a test of an action) nothing is kept, and everything is read.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from paddock_core.lifecycle import ENDED, LIVE, JobState

from ..process.state import part
from ..storage import is_writer, on_rollback
from .models import Attempt, Job

_ENDED = [state.value for state in ENDED]
_LIVE = frozenset(state.value for state in LIVE)


class _OpenWork:
    def __init__(self) -> None:
        self.is_known = False
        self.jobs: dict[int, Job] = {}
        self.newest: dict[int, Attempt] = {}
        self.working: Counter[int] = Counter()
        self._counted: dict[int, tuple[int, int]] = {}
        """Host and slots of each job's newest attempt, as they are counted in ``working``."""

    def know(self) -> None:
        """Reads what is open, unless it is known."""
        if self.is_known:
            return
        self.jobs = {job.pk: job for job in Job.objects.exclude(state__in=_ENDED)}
        self.newest, self.working, self._counted = {}, Counter(), {}
        attempts = Attempt.objects.filter(job__in=self.jobs.keys()).select_related("host__paddock").order_by("number")
        for attempt in attempts:
            attempt.job = self.jobs[attempt.job_id]
            self.newest[attempt.job_id] = attempt
        for attempt in self.newest.values():
            self.count(attempt)
        self.is_known = True

    def count(self, attempt: Attempt) -> None:
        """Counts the slots of an attempt, and those of the one before no more."""
        self.uncount(attempt.job_id)
        if attempt.state in _LIVE:
            self._counted[attempt.job_id] = attempt.host_id, attempt.job.slots
            self.working[attempt.host_id] += attempt.job.slots

    def uncount(self, job: int) -> None:
        host, slots = self._counted.pop(job, (0, 0))
        self.working[host] -= slots

    def forget(self) -> None:
        self.is_known = False


def _work() -> _OpenWork:
    return part(_OpenWork)


def _known() -> _OpenWork | None:
    """What is kept; None where nothing is."""
    if not is_writer():
        return None
    _work().know()
    return _work()


def begin() -> None:
    """For the first action of a server: what another server of this process kept counts for nothing."""
    _work().forget()


def waiting() -> list[Job]:
    """The jobs that wait."""
    if work := _known():
        return [job for job in work.jobs.values() if job.state == JobState.WAITING.value]
    return list(Job.objects.filter(state=JobState.WAITING.value))


def numbered(pk: int) -> Job:
    """The job as it is now. Raises Job.DoesNotExist."""
    work = _known()
    return work.jobs[pk] if work and pk in work.jobs else Job.objects.get(pk=pk)


def current(job: Job) -> Job:
    """The job as it is now: what a caller has may have been read some time ago."""
    return numbered(job.pk) if _known() else job


def newest_attempt(job: Job) -> Attempt | None:
    """The last try; None before the first."""
    work = _known()
    if work and job.pk in work.jobs:
        return work.newest.get(job.pk)
    return job.attempts.select_related("host__paddock").order_by("-number").first()


def newest_of(job: int) -> Attempt | None:
    """The newest attempt of an open job that is kept here; None for any other."""
    work = _known()
    return work.newest.get(job) if work else None


def slots_working(hosts: Iterable[int]) -> dict[int, int] | None:
    """For each host, how many of its slots work; None where that is not kept."""
    work = _known()
    return {host: work.working[host] for host in hosts} if work else None


def accepted(job: Job) -> None:
    """A job was made."""
    if work := _known():
        on_rollback(work.forget)
        work.jobs[job.pk] = job


def tried(attempt: Attempt) -> None:
    """An attempt was made, or has changed its state from ``offered`` or ``running``."""
    if work := _known():
        on_rollback(work.forget)
        work.newest[attempt.job_id] = attempt
        work.count(attempt)


def changing(job: Job) -> None:
    """A job, or its attempt, is about to be changed: if that is taken back, these objects are worth nothing."""
    if work := _known():
        on_rollback(work.forget)


def over(job: Job) -> None:
    """A job has ended."""
    if work := _known():
        on_rollback(work.forget)
        work.jobs.pop(job.pk, None)
        work.newest.pop(job.pk, None)
        work.uncount(job.pk)

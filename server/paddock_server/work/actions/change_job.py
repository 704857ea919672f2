"""Changes a job that waits: its priority, its terms, or into which paddocks it is let."""

from __future__ import annotations

from collections.abc import Sequence

from paddock_core.lifecycle import JobState

from ...changes import announce
from ...errors import Invalid, NotAllowed, NotNow
from ...hosts.actions.change_paddock import change_paddock
from ...hosts.queries import paddock_called
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import about_jobs, checks_itself
from ...storage import action
from ...toolchains.terms_input import read_asked
from .. import dispatcher, open_work
from ..fence import fences
from ..models import Job
from ..round import REASON_FIELDS, set_reason
from .submit import implied_by, why_it_waits


@action
@about_jobs
@checks_itself("wherever the job may run")
def change_priority(actor: Actor, job: Job, priority: int) -> None:
    """From -100 to 100; the higher goes first. Raises NotNow for a job that waits no more."""
    job = _to_change(job)
    _demand(actor, job, "Changing a job's priority")
    if priority == job.priority:
        return
    write(actor, "changed priority of", "job", str(job.pk), details={"from": job.priority, "to": priority})
    job.priority = priority
    job.save(update_fields=["priority"])
    _look_again(job)


@action
@about_jobs
@checks_itself("wherever the job may run")
def correct_terms(actor: Actor, job: Job, lines: Sequence[str]) -> None:
    """Gives a waiting job other terms. Raises Invalid for terms that cannot be read, NotNow for a job that waits no
    more."""
    job = _to_change(job)
    _demand(actor, job, "Correcting a job's terms")
    asked = read_asked(lines, implied_by(job))
    before = {"terms": job.terms, "prefers": job.prefers}
    job.terms, job.prefers = [str(term) for term in asked.terms], [str(term) for term in asked.prefers]
    write(actor, "corrected", "job", str(job.pk), details={"was": before, "terms": job.terms, "prefers": job.prefers})
    set_reason(job, why_it_waits(job))
    job.save(update_fields=["terms", "prefers", *REASON_FIELDS])
    _look_again(job)


@action
@checks_itself("for good it needs the administrator, for once the operator")
def let_in(actor: Actor, job: Job, paddock_name: str, *, for_good: bool) -> None:
    """Lets the job into a paddock whose fence keeps it out: this job alone, which an operator of that paddock may do;
    or its pipeline for good, which takes an administrator. Raises NotNow where it is let in already."""
    job = _to_change(job)
    paddock = paddock_called(actor, paddock_name)
    least = Role.ADMINISTRATOR if for_good else Role.OPERATOR
    actor.demand(least, paddock.name, "Letting a job into a paddock")
    inside = fences().of_job(job)
    if job.is_internal or inside is None or paddock.name in inside:
        raise NotNow(f"{job.pipeline} is let into {paddock.name} already.")
    if for_good:
        change_paddock(actor, paddock, pipelines=[*paddock.pipelines, job.pipeline])
        announce("job", job.pk)
        return
    if job.state != JobState.WAITING.value:
        raise NotNow(f"The job waits no more: it is {job.state}.")
    job.let_in = sorted({*job.let_in, paddock.name})
    job.save(update_fields=["let_in"])
    write(actor, "let in", "job", str(job.pk), paddock.name, {"pipeline": job.pipeline})
    _look_again(job)


def _to_change(job: Job) -> Job:
    """The job as it is now: the caller's may have been read some time ago."""
    now = open_work.current(job)
    open_work.changing(now)
    return now


def _demand(actor: Actor, job: Job, what: str) -> None:
    inside = actor.where(Role.OPERATOR)
    if inside is not None and not (job.paddocks and set(job.paddocks) <= set(inside)):
        raise NotAllowed(f"{what} needs the role operator wherever it may run. Ask an administrator for it.")
    if job.state != JobState.WAITING.value:
        raise NotNow(f"The job waits no more: it is {job.state}.")


def _look_again(job: Job) -> None:
    announce("job", job.pk)
    dispatcher.wake_after_commit()


def corrected_lines(job: Job, what: str, instead: str) -> list[str]:
    """The lines of a job with one term replaced, or added where ``what`` is empty. Raises Invalid if it is not
    there."""
    if not what:
        return [*job.terms, instead, *(f"prefer {one}" for one in job.prefers)]
    if what not in job.terms:
        raise Invalid(f"Job {job.pk} does not ask for `{what}`.")
    return [instead if term == what else term for term in job.terms] + [f"prefer {one}" for one in job.prefers]

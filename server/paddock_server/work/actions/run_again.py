"""Runs an ended job again: anywhere, on the host where it ran, or on another."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from paddock_core.lifecycle import ENDED, JobState

from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import about_jobs, requires_anywhere
from ...storage import action
from ..models import Job
from .submit import WantedJob, steps_of, submit


class Where(StrEnum):
    ANYWHERE = "anywhere"
    SAME = "same host"
    OTHER = "another host"


@action
@about_jobs
@requires_anywhere(Role.OPERATOR, "Submitting a job")
def run_again(actor: Actor, job: Job, where: Where, added: Sequence[str] = ()) -> Job:
    """A new job with all that the old one had, and with the ``added`` terms.

    Raises NotNow for one that has not ended, or was nowhere yet, and for one of the server's own: who may send jobs may
    not run chores. Raises Invalid as ``submit`` does.
    """
    if job.is_internal:
        raise NotNow(f"Job {job.pk} is a {job.pipeline}'s own: run that again, not this job of it.")
    if JobState(job.state) not in ENDED:
        raise NotNow(f"Job {job.pk} has not ended: it is {job.state}.")
    lines = [*job.terms, *added, *(f"prefer {one}" for one in job.prefers)]
    last = job.attempts.select_related("host").order_by("-number").first()
    if where is not Where.ANYWHERE:
        if last is None:
            raise NotNow(f"Job {job.pk} ran nowhere: run it again anywhere.")
        fixed = {f"host {last.host.name}", f"not host {last.host.name}"}
        lines = [one for one in lines if one not in fixed]
        lines.append(f"host {last.host.name}" if where is Where.SAME else f"not host {last.host.name}")
    wanted = WantedJob(
        job.name,
        job.pipeline,
        lines,
        job.script,
        job.shell,
        job.slots,
        job.priority,
        job.time_limit,
        0,
        job.waits_for_new_host,
        (),
        job.environment,
        job.outputs,
        steps_of(job),
        job.secrets,
        job.tests,
        job.warm,
    )
    again = submit(actor, wanted, submission=job.submission, rerun_of=job)
    more = {"added": list(added)} if added else {}
    write(actor, "ran again", "job", str(job.pk), details={"new": again.pk, "where": where.value, **more})
    return again

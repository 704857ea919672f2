"""Cancels a job: one that waits at once, one that runs as soon as its host has ended it."""

from __future__ import annotations

from paddock_core.errors import TransitionError
from paddock_core.lifecycle import CancelAsked

from ...changes import announce
from ...errors import NotAllowed, NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import about_jobs, checks_itself
from ...storage import action
from ..effects import advance
from ..models import Job


@action
@about_jobs
@checks_itself("wherever the job may run")
def cancel(actor: Actor, job: Job) -> None:
    """Raises NotNow for a job that has ended."""
    inside = actor.where(Role.OPERATOR)
    if inside is not None and not (job.paddocks and set(job.paddocks) <= set(inside)):
        raise NotAllowed("Cancelling this job needs the role operator wherever it may run.")
    try:
        advance(job, CancelAsked())
    except TransitionError as error:
        raise NotNow(f"It cannot be cancelled: {error}.") from None
    write(actor, "cancelled", "job", str(job.pk))
    announce("job", job.pk)

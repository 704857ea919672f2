"""Gives a waiting job to a host: makes the attempt and sends the offer."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from paddock_agent import wire
from paddock_core.fleet import Installation
from paddock_core.lifecycle import AttemptState, JobState, Placed

from ...health.meters import JOB_WAIT
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ...time_line.identity import new_identity
from ..advance import advance
from ..models import Attempt, Job


@action
def place(job_id: int, host: Host, binding: Sequence[Installation], why: str = "") -> None:
    """Does nothing if the job no longer waits: somebody cancelled it between the round's look and now."""
    job = Job.objects.get(pk=job_id)
    if job.state != JobState.WAITING.value:
        return
    number = job.attempts.count() + 1
    Attempt.objects.create(
        job=job,
        number=number,
        identity=new_identity(job.pk, number),
        host=host,
        state=AttemptState.OFFERED.value,
        tools=[{name: getattr(one, name) for name in wire.BoundTool.__struct_fields__} for one in binding],
        why=why[:1000],
        facts=host.facts,
        offered_at=timezone.now(),
    )
    JOB_WAIT.observe((timezone.now() - job.submitted_at).total_seconds())
    advance(job, Placed())
    write(SERVER, "offered", "job", str(job.pk), host.paddock.name, host=host.name, attempt=number)

"""Gives a waiting job to a host: makes the attempt and sends the offer."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from paddock_core.fleet import InstalledTool
from paddock_core.lifecycle import JobState, Placed

from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...process.meters import JOB_WAIT
from ...storage import action
from .. import open_work
from ..effects import Details, Place, advance


@action
def place(job_id: int, host: Host, binding: Sequence[InstalledTool], why: str = "") -> None:
    """Does nothing if the job no longer waits."""
    job = open_work.numbered(job_id)
    if job.state != JobState.WAITING.value:
        return
    JOB_WAIT.observe((timezone.now() - job.submitted_at).total_seconds())
    job = advance(job, Placed(), Details(place=Place(host, binding, why)))
    attempt = open_work.newest_attempt(job)
    number = attempt.number if attempt else 0
    write(SERVER, "offered", "job", str(job.pk), host.paddock.name, {"host": host.name, "attempt": number})

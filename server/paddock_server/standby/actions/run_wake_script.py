"""Runs the script that wakes a host, on the host that an administrator chose."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.lifecycle import JobState
from paddock_core.link_state import Link

from ...errors import NotNow
from ...hosts.models import Host
from ...people.actor import SERVER
from ...storage import action
from ...work import open_work
from ...work.actions.cancel import cancel
from ...work.actions.place import place
from ...work.models import Job

PIPELINE = "standby"
TIME_LIMIT = 120


@action
def run_wake_script(sleeper: str, script: str, host_id: int) -> str:
    """Gives it to that host at once, past its slots; returns what was done. Raises NotNow where that host cannot."""
    host = Host.objects.select_related("paddock").get(pk=host_id)
    if host.standing != Host.Standing.ADMITTED or host.link != Link.CONNECTED:
        raise NotNow(f"{host.name}, where it runs, is not connected.")
    job = Job.objects.create(
        name=f"wake {sleeper}",
        pipeline=PIPELINE,
        terms=[f"host {host.name}"],
        script=script,
        slots=0,
        time_limit=TIME_LIMIT,
        is_internal=True,
        environment={"PADDOCK_WAKE": sleeper},
        submitted_at=timezone.now(),
        submitted_by=SERVER.name,
    )
    open_work.accepted(job)
    place(job.pk, host, (), f"It wakes {sleeper}.")
    return f"Job {job.pk} runs the script on {host.name}."


@action
def cancel_wake_script(sleeper: str) -> None:
    """The wake is over: a script that has not begun must not wake the host at another time."""
    for job in Job.objects.filter(
        name=f"wake {sleeper}", pipeline=PIPELINE, is_internal=True, state=JobState.WAITING.value
    ):
        cancel(SERVER, job)

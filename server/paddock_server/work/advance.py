"""Carries out what the life-cycle machine of the core says: the only place where a job or an attempt changes state."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from paddock_agent import wire
from paddock_core import lifecycle
from paddock_core.lifecycle import ENDED, AttemptState, JobState

from ..errors import NotNow
from ..health import looking
from ..hosts.actions.hold import hold_if_drained
from ..link import connections, feed
from ..logbook.write import write
from ..people.actor import SERVER
from ..pipeline_secrets.giving import values_for
from . import dispatcher, offers
from .models import Attempt, Job

_OVER = {state.value for state in AttemptState} - {AttemptState.OFFERED.value, AttemptState.RUNNING.value}


def advance(job: Job, event: lifecycle.Event) -> None:
    """Applies one event to a job, inside the caller's transaction. Raises TransitionError for what cannot happen."""
    assert transaction.get_connection().in_atomic_block
    newest = job.attempts.order_by("-number").first()
    before = lifecycle.Job(JobState(job.state), newest.number if newest else 0, job.retries_left, job.cancel_asked)
    if isinstance(event, lifecycle.Placed):
        # The attempt's row is made by the caller, which knows the host: the machine must not count it yet.
        before = lifecycle.Job(before.state, before.attempt - 1, before.retries_left, before.cancel_asked)
    after, instructions = lifecycle.transition(before, event)
    if after != before:
        _save(job, before.state, after)
    for instruction in instructions:
        _carry_out(job, instruction)


def _save(job: Job, was: JobState, after: lifecycle.Job) -> None:
    now = timezone.now()
    job.state, job.retries_left, job.cancel_asked = after.state.value, after.retries_left, after.cancel_asked
    if after.state is not JobState.WAITING:
        job.reason = job.reason_kind = job.reason_nearest = ""
        job.reason_term = None
    elif was is not JobState.WAITING:
        job.reason, job.reason_kind = "It goes back to waiting; the next round decides.", "about to be offered"
    if after.state is JobState.RUNNING and job.started_at is None:
        job.started_at = now
    if after.state in ENDED:
        job.ended_at = now
    if after.state is not JobState.WAITING:
        job.reason_places, job.kept_host = [], ""
    job.save()
    feed.tell("job", job.pk)
    if after.state in ENDED and after.state is not JobState.PASSED:
        _cancel_what_follows(job)


def _cancel_what_follows(job: Job) -> None:
    """Jobs that were to run after this one never can."""
    for other in Job.objects.filter(state=JobState.WAITING.value).exclude(after=[]):
        if job.pk in other.after:
            advance(other, lifecycle.CancelAsked())
            other.reason = f"It was cancelled, since {job.name} (job {job.pk}), which it comes after, is {job.state}."
            other.save(update_fields=["reason"])
            write(SERVER, "cancelled", "job", str(other.pk), because=f"job {job.pk} is {job.state}")


def _carry_out(job: Job, instruction: lifecycle.Instruction) -> None:
    match instruction:
        case lifecycle.SetAttempt():
            _set_attempt(job, instruction)
        case lifecycle.SendOffer(attempt=number):
            attempt = job.attempts.select_related("host__paddock").get(number=number)
            _send_offer(job, attempt)
        case lifecycle.TellCancel(attempt=number):
            attempt = job.attempts.get(number=number)
            connections.send(attempt.host_id, wire.Cancel(attempt=attempt.wire_name))
        case lifecycle.TellAbandon(attempt=number):
            attempt = job.attempts.get(number=number)
            connections.send(attempt.host_id, wire.Abandon(attempt=attempt.wire_name))
        case lifecycle.KeepNote(attempt=number, note=note):
            for attempt in job.attempts.filter(number=number, state=AttemptState.LOST.value):
                if note not in attempt.note:
                    attempt.note = f"{attempt.note} {note}".strip()[:2000]
                    attempt.save(update_fields=["note"])
                    feed.tell("job", job.pk)
        case lifecycle.WakeDispatcher():
            dispatcher.wake_after_commit()


def _set_attempt(job: Job, written: lifecycle.SetAttempt) -> None:
    attempt = job.attempts.select_related("host__paddock").get(number=written.attempt)
    now = timezone.now()
    attempt.state, attempt.exit_code = written.state.value, written.exit_code
    attempt.note = written.note[:2000]
    if written.state is AttemptState.RUNNING:
        attempt.started_at = now
    if attempt.state in _OVER:
        attempt.ended_at = now
    attempt.save()
    if attempt.state in _OVER:
        looking.note_job_ended()
        hold_if_drained(attempt.host)
    feed.tell("host", attempt.host.name, attempt.host.paddock.name)


def _send_offer(job: Job, attempt: Attempt) -> None:
    try:
        secrets = values_for(job.secrets, job.pipeline, attempt.host.paddock.name, attempt.name)
    except NotNow as error:
        # Nothing was sent: it ends as one that could not be started, with the reason.
        advance(job, lifecycle.Ended(attempt.number, lifecycle.Outcome.NOT_STARTED, None, error.detail))
        return
    connections.send(attempt.host_id, _offer(job, attempt, secrets))
    offers.watch(attempt.pk)


def _steps(job: Job) -> list[wire.Step]:
    if not job.steps:
        return [wire.Step("script", job.script, job.shell)]
    return [
        wire.Step(
            step["name"],
            step["script"],
            step["shell"] or job.shell,
            step["folder"],
            step["environment"],
            step["time_limit"],
            step["always"],
            wire.Checkout(**step["checkout"]) if step["checkout"] else None,
        )
        for step in job.steps
    ]


def _offer(job: Job, attempt: Attempt, secrets: dict[str, str]) -> wire.Offer:
    for_git = {step["checkout"]["secret"] for step in job.steps if step["checkout"]}
    return wire.Offer(
        attempt=attempt.wire_name,
        job=job.pk,
        name=job.name,
        pipeline=job.pipeline,
        steps=_steps(job),
        time_limit=job.time_limit,
        tools=[wire.BoundTool(**tool) for tool in attempt.tools],
        slots=job.slots,
        variables=job.environment,
        secrets=[wire.GivenSecret(name, value, name not in for_git) for name, value in secrets.items()],
        outputs=job.outputs,
        warm=job.warm,
        leaves_processes=not attempt.host.paddock.ends_processes,
    )

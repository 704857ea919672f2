"""Carries out what the life-cycle machine of the core says: the only place where a job or an attempt changes state."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from django.utils import timezone

from paddock_agent import wire
from paddock_core import lifecycle
from paddock_core.fleet import InstalledTool
from paddock_core.lifecycle import ENDED, AttemptState, JobState

from ..changes import announce
from ..errors import NotNow
from ..hosts.actions.hold import hold_if_drained
from ..hosts.models import Host
from ..logbook.write import write
from ..people.actor import SERVER
from ..pipeline_secrets.access import values_for
from ..process import connections
from ..storage.rows import insert, update
from ..time_line.identity import new_identity
from . import dispatcher, offers, open_work
from .events import attempt_ended
from .fleet import is_draining
from .models import Attempt, Job

_OVER = {state.value for state in AttemptState} - {AttemptState.OFFERED.value, AttemptState.RUNNING.value}


@dataclass(frozen=True)
class Place:
    """Where a job goes: the host, the installations that its terms are bound to, and why this host."""

    host: Host
    binding: Sequence[InstalledTool] = ()
    why: str = ""


@dataclass(frozen=True)
class Details:
    """What is known beside an event: the ``place`` of ``Placed``; the attempt that a report is about, and those of its
    fields that the report has set, which are written with its state."""

    place: Place | None = None
    attempt: Attempt | None = None
    fields: Sequence[str] = ()


NOTHING_MORE = Details()


def advance(job: Job, event: lifecycle.Event, details: Details = NOTHING_MORE) -> Job:
    """Applies one event to a job, for an action; the job as it is then. Raises TransitionError for what cannot
    happen."""
    job = open_work.current(job)
    newest = open_work.newest_attempt(job)
    before = lifecycle.Job(JobState(job.state), newest.number if newest else 0, job.retries_left, job.cancel_asked)
    after, instructions = lifecycle.transition(before, event)
    if after != before:
        open_work.changing(job)
        _save(job, before.state, after)
    for instruction in instructions:
        _HANDLERS[type(instruction)](job, instruction, details)
    if after.state in ENDED:
        open_work.over(job)
    return job


def _save(job: Job, was: JobState, after: lifecycle.Job) -> None:
    now = timezone.now()
    changed = ["state", "retries_left", "cancel_asked"]
    job.state, job.retries_left, job.cancel_asked = after.state.value, after.retries_left, after.cancel_asked
    if after.state is not JobState.WAITING and (job.reason or job.earmarked_host):
        job.reason = job.reason_kind = job.reason_nearest = job.earmarked_host = ""
        job.reason_term, job.reason_places = None, []
        changed += ["reason", "reason_kind", "reason_nearest", "earmarked_host", "reason_term", "reason_places"]
    if after.state is JobState.WAITING and was is not JobState.WAITING:
        job.reason, job.reason_kind = "It goes back to waiting; the next round decides.", "about to be offered"
        changed += ["reason", "reason_kind"]
    if after.state is JobState.RUNNING and job.started_at is None:
        job.started_at = now
        changed.append("started_at")
    if after.state in ENDED:
        job.ended_at = now
        changed.append("ended_at")
    update(job, changed)
    announce("job", job.pk, thing={"name": job.name, "pipeline": job.pipeline, "state": job.state})


def _attempt(job: Job, number: int) -> Attempt:
    newest = open_work.newest_attempt(job)
    if newest is not None and newest.number == number:
        return newest
    return job.attempts.select_related("host__paddock").get(number=number)


def _create_attempt(job: Job, instruction: lifecycle.CreateAttempt, details: Details) -> None:
    place = details.place
    assert place is not None
    attempt = Attempt(
        job=job,
        number=instruction.attempt,
        identity=new_identity(job.pk, instruction.attempt),
        host=place.host,
        state=AttemptState.OFFERED.value,
        tools=[{name: getattr(one, name) for name in wire.BoundTool.__struct_fields__} for one in place.binding],
        why=place.why[:1000],
        facts=place.host.facts,
        offered_at=timezone.now(),
    )
    insert(attempt)
    open_work.tried(attempt)
    announce("host", place.host.name, place.host.paddock.name, only_slots=True)


def _set_attempt(job: Job, instruction: lifecycle.SetAttempt, details: Details) -> None:
    attempt = details.attempt or _attempt(job, instruction.attempt)
    now = timezone.now()
    changed = ["state", "exit_code", "note", *details.fields]
    attempt.state, attempt.exit_code, attempt.note = (
        instruction.state.value,
        instruction.exit_code,
        instruction.note[:2000],
    )
    if instruction.state is AttemptState.RUNNING:
        attempt.started_at = now
        changed.append("started_at")
    if attempt.state in _OVER:
        attempt.ended_at = now
        changed.append("ended_at")
        attempt_ended.send(attempt)
    update(attempt, changed)
    open_work.tried(attempt)
    host, refuses = attempt.host, attempt.state in _OVER and attempt.started_at is None
    announce("host", host.name, host.paddock.name, only_slots=not refuses)


def _send_offer(job: Job, instruction: lifecycle.SendOffer, _: Details) -> None:
    attempt = _attempt(job, instruction.attempt)
    try:
        secrets = values_for(job.secrets, job.pipeline, attempt.host.paddock.name, attempt.name) if job.secrets else {}
    except NotNow as error:
        # Nothing was sent: it ends as one that could not be started, with the reason.
        advance(job, lifecycle.Ended(attempt.number, lifecycle.Outcome.NOT_STARTED, None, error.detail))
        return
    connections.send(attempt.host_id, _offer(job, attempt, secrets))


def _expire_offer(job: Job, instruction: lifecycle.ExpireOffer, _: Details) -> None:
    offers.watch(_attempt(job, instruction.attempt).pk)


def _say_underway(job: Job, instruction: lifecycle.SayUnderway, _: Details) -> None:
    attempt = _attempt(job, instruction.attempt)
    connections.send(attempt.host_id, wire.Underway(attempt=attempt.wire_name))


def _tell_cancel(job: Job, instruction: lifecycle.TellCancel, _: Details) -> None:
    attempt = _attempt(job, instruction.attempt)
    connections.send(attempt.host_id, wire.Cancel(attempt=attempt.wire_name))


def _tell_abandon(job: Job, instruction: lifecycle.TellAbandon, _: Details) -> None:
    attempt = _attempt(job, instruction.attempt)
    connections.send(attempt.host_id, wire.Abandon(attempt=attempt.wire_name))


def _save_note(job: Job, instruction: lifecycle.AddNote, _: Details) -> None:
    attempt = _attempt(job, instruction.attempt)
    if attempt.state == AttemptState.LOST.value and instruction.note not in attempt.note:
        open_work.changing(job)
        attempt.note = f"{attempt.note} {instruction.note}".strip()[:2000]
        attempt.save(update_fields=["note"])
        announce("job", job.pk)


def _hold_if_drained(job: Job, instruction: lifecycle.HoldIfDrained, _: Details) -> None:
    host = _attempt(job, instruction.attempt).host
    if is_draining(host):
        hold_if_drained(Host.objects.select_related("paddock").get(pk=host.pk))


def _cancel_followers(job: Job, _: lifecycle.CancelFollowers, __: Details) -> None:
    for other in open_work.waiting():
        if job.pk in other.after:
            advance(other, lifecycle.CancelAsked())
            other.reason = f"It was cancelled, since {job.name} (job {job.pk}), which it comes after, is {job.state}."
            other.save(update_fields=["reason"])
            write(SERVER, "cancelled", "job", str(other.pk), details={"because": f"job {job.pk} is {job.state}"})


def _wake_dispatcher(job: Job, _: lifecycle.WakeDispatcher, __: Details) -> None:
    dispatcher.wake_after_commit()


_HANDLERS: dict[type, Callable[[Job, Any, Details], None]] = {
    lifecycle.CreateAttempt: _create_attempt,
    lifecycle.SetAttempt: _set_attempt,
    lifecycle.SendOffer: _send_offer,
    lifecycle.ExpireOffer: _expire_offer,
    lifecycle.SayUnderway: _say_underway,
    lifecycle.TellCancel: _tell_cancel,
    lifecycle.TellAbandon: _tell_abandon,
    lifecycle.AddNote: _save_note,
    lifecycle.HoldIfDrained: _hold_if_drained,
    lifecycle.CancelFollowers: _cancel_followers,
    lifecycle.WakeDispatcher: _wake_dispatcher,
}
"""What is done for each instruction."""


def _steps(job: Job) -> list[wire.WireStep]:
    if not job.steps:
        return [wire.WireStep("script", job.script, job.shell)]
    return [
        wire.WireStep(
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

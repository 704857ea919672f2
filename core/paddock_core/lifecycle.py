"""The life of a job, as a state machine: events in, the next state and instructions out.

                      refused, or lost before it started
          +------------------------------------------------+
          v                                                |
      waiting --Placed--> offered --Started--> running --Ended--> passed | failed | cancelled | timed out
          ^                                        |
          +------- lost, and it may be retried ----+--LeaseLost, no retry left--> lost

The server carries the instructions out; nothing else changes the state of a job or an attempt, or says to an agent what
may become of one.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from .errors import TransitionError


class JobState(StrEnum):
    WAITING = "waiting"
    OFFERED = "offered"
    RUNNING = "running"
    PASSED = "passed"
    FAILED = "failed"
    CANCELLED = "cancelled"
    TIMED_OUT = "timed out"
    LOST = "lost"


class AttemptState(StrEnum):
    OFFERED = "offered"
    RUNNING = "running"
    PASSED = "passed"
    FAILED = "failed"
    CANCELLED = "cancelled"
    TIMED_OUT = "timed out"
    LOST = "lost"
    REFUSED = "refused"


LIVE = frozenset({JobState.OFFERED, JobState.RUNNING})
ENDED = frozenset(JobState) - LIVE - {JobState.WAITING}


class Outcome(StrEnum):
    """How an attempt ended, as its agent saw it."""

    EXITED = "exited"
    CANCELLED = "cancelled"
    TIMED_OUT = "timed out"
    NOT_STARTED = "not started"
    AGENT_STOPPED = "agent stopped"


@dataclass(frozen=True)
class Job:
    """What the machine needs to know of a job. ``attempt`` is the number of the newest attempt, 0 before the first."""

    state: JobState = JobState.WAITING
    attempt: int = 0
    retries_left: int = 0
    cancel_asked: bool = False


@dataclass(frozen=True)
class Placed:
    """The dispatcher chose a host."""


@dataclass(frozen=True)
class Started:
    """The agent began the script."""

    attempt: int


@dataclass(frozen=True)
class Refused:
    """The agent would not take the offer."""

    attempt: int
    why: str


@dataclass(frozen=True)
class Ended:
    """The agent reports the end. ``exit_code`` is None unless the script ran to its own end."""

    attempt: int
    outcome: Outcome
    exit_code: int | None = None
    why: str = ""


@dataclass(frozen=True)
class LeaseLost:
    """The agent fell silent past the grace, or came back without knowing the attempt."""

    attempt: int
    why: str


@dataclass(frozen=True)
class CancelAsked:
    """A person or a program asked for the job to be cancelled."""


Event = Placed | Started | Refused | Ended | LeaseLost | CancelAsked


@dataclass(frozen=True)
class SetAttempt:
    """Write the attempt's state, exit code and note."""

    attempt: int
    state: AttemptState
    exit_code: int | None = None
    note: str = ""


@dataclass(frozen=True)
class CreateAttempt:
    """Make the attempt, offered to the host that was chosen."""

    attempt: int


@dataclass(frozen=True)
class ExpireOffer:
    """Take the offer of this attempt back if it is not answered in time."""

    attempt: int


@dataclass(frozen=True)
class SayUnderway:
    """Tell the host that the server has the attempt for running: it may begin."""

    attempt: int


@dataclass(frozen=True)
class HoldIfDrained:
    """The host of this attempt has one less: if it was draining and has none left, it is held."""

    attempt: int


@dataclass(frozen=True)
class CancelFollowers:
    """Cancel the jobs that were to run after this one has passed: they never can."""


@dataclass(frozen=True)
class SendOffer:
    """Send the offer of this attempt to its host."""

    attempt: int


@dataclass(frozen=True)
class TellCancel:
    """Tell the host to end this attempt because the job was cancelled."""

    attempt: int


@dataclass(frozen=True)
class TellAbandon:
    """Tell the host that the server gave up on this attempt: stop it, its result does not count."""

    attempt: int


@dataclass(frozen=True)
class AddNote:
    """Keep what came late as a note on the attempt; it changes no state."""

    attempt: int
    note: str


@dataclass(frozen=True)
class WakeDispatcher:
    """Something that the dispatcher waits for has changed."""


Instruction = (
    CreateAttempt
    | SetAttempt
    | SendOffer
    | ExpireOffer
    | SayUnderway
    | TellCancel
    | TellAbandon
    | AddNote
    | HoldIfDrained
    | CancelFollowers
    | WakeDispatcher
)

_BY_OUTCOME = {
    Outcome.CANCELLED: JobState.CANCELLED,
    Outcome.TIMED_OUT: JobState.TIMED_OUT,
    Outcome.NOT_STARTED: JobState.FAILED,
}


def transition(job: Job, event: Event) -> tuple[Job, tuple[Instruction, ...]]:
    """The next state of ``job`` after ``event``, and what has to be done.

    Events about an attempt that is over, or was given up, change nothing: they are kept as notes, so a result counts
    once, however often it is reported. Raises TransitionError for an impossible event: placing a job that does not
    wait, or cancelling one that has ended."""
    match event:
        case Placed():
            if job.state is not JobState.WAITING:
                raise TransitionError(f"a job that is {job.state} cannot be offered to a host")
            number = job.attempt + 1
            return (
                replace(job, state=JobState.OFFERED, attempt=number),
                (CreateAttempt(number), SendOffer(number), ExpireOffer(number)),
            )
        case CancelAsked():
            return _cancel(job)
    if event.attempt != job.attempt or job.state not in LIVE:
        return job, _late(job, event)
    match event:
        case Started():
            underway = SayUnderway(job.attempt)
            if job.state is JobState.RUNNING:  # an agent that did not hear it says so again
                return job, (underway,)
            return replace(job, state=JobState.RUNNING), (SetAttempt(job.attempt, AttemptState.RUNNING), underway)
        case Refused():
            return _back_to_waiting(job, AttemptState.REFUSED, event.why)
        case LeaseLost():
            return _lose(job, event.why)
        case Ended():
            return _end(job, event)


def _cancel(job: Job) -> tuple[Job, tuple[Instruction, ...]]:
    if job.state is JobState.WAITING:
        return replace(job, state=JobState.CANCELLED, cancel_asked=True), (CancelFollowers(), WakeDispatcher())
    if job.state not in LIVE:
        raise TransitionError(f"the job has already ended: it is {job.state}")
    return replace(job, cancel_asked=True), (TellCancel(job.attempt),)


def _leave(job: Job, state: JobState, written: SetAttempt) -> tuple[Job, tuple[Instruction, ...]]:
    """The attempt is over, and its host has room again."""
    followers = (CancelFollowers(),) if state in ENDED and state is not JobState.PASSED else ()
    return replace(job, state=state), (written, HoldIfDrained(job.attempt), *followers, WakeDispatcher())


def _back_to_waiting(job: Job, state: AttemptState, why: str) -> tuple[Job, tuple[Instruction, ...]]:
    next_state = JobState.CANCELLED if job.cancel_asked else JobState.WAITING
    return _leave(job, next_state, SetAttempt(job.attempt, state, note=why))


def _lose(job: Job, why: str) -> tuple[Job, tuple[Instruction, ...]]:
    if job.state is JobState.OFFERED:
        return _back_to_waiting(job, AttemptState.LOST, why)
    written = SetAttempt(job.attempt, AttemptState.LOST, note=why)
    if job.cancel_asked:
        return _leave(job, JobState.CANCELLED, written)
    if job.retries_left:
        return _leave(replace(job, retries_left=job.retries_left - 1), JobState.WAITING, written)
    return _leave(job, JobState.LOST, written)


def _end(job: Job, event: Ended) -> tuple[Job, tuple[Instruction, ...]]:
    if event.outcome is Outcome.AGENT_STOPPED:
        return _lose(job, event.why or "the agent was stopped")
    if event.outcome is Outcome.EXITED:
        state = JobState.PASSED if event.exit_code == 0 else JobState.FAILED
    else:
        state = _BY_OUTCOME[event.outcome]
    return _leave(job, state, SetAttempt(job.attempt, AttemptState(state.value), event.exit_code, event.why))


def _late(job: Job, event: Started | Refused | Ended | LeaseLost) -> tuple[Instruction, ...]:
    given_up = event.attempt < job.attempt or job.state in (JobState.LOST, JobState.WAITING, JobState.CANCELLED)
    match event:
        case Started() if given_up:
            return (TellAbandon(event.attempt),)
        case Ended() if given_up:
            code = "" if event.exit_code is None else f" with exit code {event.exit_code}"
            return (AddNote(event.attempt, f"Reported late, after the server had given up: {event.outcome}{code}."),)
    return ()

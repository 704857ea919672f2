import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.errors import TransitionError
from paddock_core.lifecycle import (
    ENDED,
    LIVE,
    AddNote,
    AttemptState,
    CancelAsked,
    CancelFollowers,
    CreateAttempt,
    Ended,
    ExpireOffer,
    HoldIfDrained,
    Job,
    JobState,
    LeaseLost,
    Outcome,
    Placed,
    Refused,
    SayUnderway,
    SendOffer,
    SetAttempt,
    Started,
    TellAbandon,
    TellCancel,
    WakeDispatcher,
    transition,
)


def after(*events, job=None):
    job, instructions = job or Job(), ()
    for event in events:
        job, instructions = transition(job, event)
    return job, instructions


@pytest.mark.parametrize(
    ("ended", "state"),
    [
        (Ended(1, Outcome.EXITED, 0), JobState.PASSED),
        (Ended(1, Outcome.EXITED, 3), JobState.FAILED),
        (Ended(1, Outcome.TIMED_OUT), JobState.TIMED_OUT),
        (Ended(1, Outcome.CANCELLED), JobState.CANCELLED),
        (Ended(1, Outcome.NOT_STARTED, None, "no such shell"), JobState.FAILED),
    ],
)
def test_a_job_ends_as_its_attempt_did(ended, state):
    job, instructions = after(Placed(), Started(1), ended)
    assert job.state is state
    assert instructions[0] == SetAttempt(1, AttemptState(state.value), ended.exit_code, ended.why)


def test_placing_sends_an_offer():
    job, instructions = after(Placed())
    assert (job.state, job.attempt) == (JobState.OFFERED, 1)
    assert instructions == (CreateAttempt(1), SendOffer(1), ExpireOffer(1))


def test_a_refused_offer_goes_back_to_waiting_and_may_be_placed_again():
    job, instructions = after(Placed(), Refused(1, "the disk is full"))
    assert job.state is JobState.WAITING
    assert instructions[0] == SetAttempt(1, AttemptState.REFUSED, note="the disk is full")
    job, _ = after(Placed(), job=job)
    assert job.attempt == 2


@pytest.mark.parametrize(("retries", "state", "left"), [(0, JobState.LOST, 0), (2, JobState.WAITING, 1)])
def test_a_lost_attempt_is_tried_again_only_if_the_job_said_so(retries, state, left):
    job, _ = after(Placed(), Started(1), LeaseLost(1, "silent"), job=Job(retries_left=retries))
    assert (job.state, job.retries_left) == (state, left)


def test_an_offer_lost_before_it_started_costs_no_retry():
    job, _ = after(Placed(), LeaseLost(1, "silent"))
    assert job.state is JobState.WAITING


def test_a_result_that_comes_after_the_server_gave_up_is_a_note_and_counts_never():
    lost, _ = after(Placed(), Started(1), LeaseLost(1, "silent"))
    job, instructions = transition(lost, Ended(1, Outcome.EXITED, 0))
    assert job == lost
    note = "Reported late, after the server had given up: exited with exit code 0."
    assert instructions == (AddNote(1, note),)
    stopped = transition(lost, Ended(1, Outcome.CANCELLED))[1]
    assert stopped == (AddNote(1, "Reported late, after the server had given up: cancelled."),)
    assert transition(lost, Started(1))[1] == (TellAbandon(1),)


def test_a_second_report_of_the_same_end_changes_nothing():
    passed, _ = after(Placed(), Started(1), Ended(1, Outcome.EXITED, 0))
    assert transition(passed, Ended(1, Outcome.EXITED, 0)) == (passed, ())


def test_an_agent_that_was_stopped_says_why():
    job, instructions = after(Placed(), Started(1), Ended(1, Outcome.AGENT_STOPPED, None, "the machine shuts down"))
    assert (job.state, instructions[0]) == (
        JobState.LOST,
        SetAttempt(1, AttemptState.LOST, note="the machine shuts down"),
    )


def test_cancelling():
    assert after(CancelAsked())[0].state is JobState.CANCELLED
    job, instructions = after(Placed(), Started(1), CancelAsked())
    assert (job.state, instructions) == (JobState.RUNNING, (TellCancel(1),))
    assert after(LeaseLost(1, "silent"), job=job)[0].state is JobState.CANCELLED
    with pytest.raises(TransitionError, match="already ended"):
        after(Placed(), Started(1), Ended(1, Outcome.EXITED, 0), CancelAsked())


WAITING, OFFERED, RUNNING = JobState.WAITING, JobState.OFFERED, JobState.RUNNING
CANCELLED, LOST, PASSED = JobState.CANCELLED, JobState.LOST, JobState.PASSED
PASSES, FAILS = Ended(2, Outcome.EXITED, 0), Ended(2, Outcome.EXITED, 1)
STOPPED, REFUSED = Ended(2, Outcome.AGENT_STOPPED), Refused(2, "full")
SILENT, STARTED = LeaseLost(2, "silent"), Started(2)
RETRIED = object()
"""Waiting if a retry is left, else lost."""
WRITTEN = {
    STARTED: SetAttempt(2, AttemptState.RUNNING),
    REFUSED: SetAttempt(2, AttemptState.REFUSED, note="full"),
    SILENT: SetAttempt(2, AttemptState.LOST, note="silent"),
    STOPPED: SetAttempt(2, AttemptState.LOST, note="the agent was stopped"),
    PASSES: SetAttempt(2, AttemptState.PASSED, 0),
    FAILS: SetAttempt(2, AttemptState.FAILED, 1),
}
"""What is written of an attempt that is at work."""
# What becomes of a job in its second attempt: by state, whether its cancelling was asked for, and retries left.
TABLE = {
    (WAITING, False): {
        Placed(): OFFERED, CancelAsked(): CANCELLED, STARTED: WAITING, REFUSED: WAITING, PASSES: WAITING,
        FAILS: WAITING, STOPPED: WAITING, SILENT: WAITING,
    },
    (OFFERED, False): {
        Placed(): None, CancelAsked(): OFFERED, STARTED: RUNNING, REFUSED: WAITING, PASSES: PASSED,
        FAILS: JobState.FAILED, STOPPED: WAITING, SILENT: WAITING,
    },
    (OFFERED, True): {
        Placed(): None, CancelAsked(): OFFERED, STARTED: RUNNING, REFUSED: CANCELLED, PASSES: PASSED,
        FAILS: JobState.FAILED, STOPPED: CANCELLED, SILENT: CANCELLED,
    },
    (RUNNING, False): {
        Placed(): None, CancelAsked(): RUNNING, STARTED: RUNNING, REFUSED: WAITING, PASSES: PASSED,
        FAILS: JobState.FAILED, STOPPED: RETRIED, SILENT: RETRIED,
    },
    (RUNNING, True): {
        Placed(): None, CancelAsked(): RUNNING, STARTED: RUNNING, REFUSED: CANCELLED, PASSES: PASSED,
        FAILS: JobState.FAILED, STOPPED: CANCELLED, SILENT: CANCELLED,
    },
    **{
        (state, asked): {
            Placed(): None, CancelAsked(): None, STARTED: state, REFUSED: state, PASSES: state, FAILS: state,
            STOPPED: state, SILENT: state,
        }
        for state in sorted(ENDED)
        for asked in (False, True)
    },
}  # fmt: skip


@pytest.mark.parametrize("retries", [0, 1])
@pytest.mark.parametrize("event", TABLE[WAITING, False], ids=repr)
@pytest.mark.parametrize(("state", "asked"), TABLE, ids=str)
def test_every_event_in_every_state(state, asked, event, retries):
    job = Job(state, 2, retries, asked)
    expected = TABLE[state, asked][event]
    if expected is None:
        with pytest.raises(TransitionError):
            transition(job, event)
        return
    after, instructions = transition(job, event)
    if expected is RETRIED:
        assert (after.state, after.retries_left) == ((WAITING, retries - 1) if retries else (LOST, 0))
    else:
        assert (after.state, after.retries_left) == (expected, retries)
    assert after.cancel_asked is (asked or (event == CancelAsked() and state not in ENDED))
    left = state in LIVE and after.state not in LIVE
    assert (HoldIfDrained(2) in instructions) is left, "its host may be drained by that"
    assert (WakeDispatcher() in instructions) is (left or (state is WAITING and after.state is CANCELLED))
    ends_badly = after.state in ENDED and state not in ENDED and after.state is not PASSED
    assert (CancelFollowers() in instructions) is ends_badly
    assert (SayUnderway(2) in instructions) is (event == STARTED and state in LIVE)
    assert (TellCancel(2) in instructions) is (event == CancelAsked() and state in LIVE)
    given_up = state in (WAITING, CANCELLED, LOST)
    assert (TellAbandon(2) in instructions) is (event == STARTED and given_up)
    is_news = state in LIVE and event in WRITTEN and not (event == STARTED and state is RUNNING)
    assert [one for one in instructions if isinstance(one, SetAttempt)] == ([WRITTEN[event]] if is_news else [])
    late = isinstance(event, Ended) and given_up
    assert any(isinstance(one, AddNote) for one in instructions) is late


def test_what_an_earlier_attempt_says_is_late_whatever_the_job_does():
    for state in (WAITING, OFFERED, RUNNING, CANCELLED, LOST):
        job = Job(state, 2)
        assert transition(job, Started(1)) == (job, (TellAbandon(1),))
        assert isinstance(transition(job, Ended(1, Outcome.EXITED, 0))[1][0], AddNote)
        assert transition(job, Refused(1, "x")) == transition(job, LeaseLost(1, "x")) == (job, ())


attempts = st.integers(0, 4)
events = st.one_of(
    st.just(Placed()),
    st.just(CancelAsked()),
    st.builds(Started, attempts),
    st.builds(Refused, attempts, st.just("full")),
    st.builds(LeaseLost, attempts, st.just("silent")),
    st.builds(Ended, attempts, st.sampled_from(Outcome), st.sampled_from([None, 0, 1])),
)


@given(st.lists(events, max_size=30), st.integers(0, 3))
def test_whatever_happens_an_ended_job_stays_ended_and_attempts_only_grow(happened, retries):
    job = Job(retries_left=retries)
    for event in happened:
        try:
            next_job, instructions = transition(job, event)
        except TransitionError:
            continue
        assert next_job.attempt >= job.attempt
        assert next_job.retries_left <= job.retries_left
        if job.state in ENDED:
            assert next_job == job
        if next_job.state in LIVE and job.state is JobState.WAITING:
            assert any(isinstance(one, SendOffer) for one in instructions)
        job = next_job

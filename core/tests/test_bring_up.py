"""The bring-up of a machine, from reported steps and observed facts."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.bring_up import (
    CALL_SECONDS,
    QUIET_SECONDS,
    REPORTED_STEPS,
    BringUpStep,
    ObservedBringUp,
    Phase,
    ReportedTimes,
    State,
    progress,
)
from paddock_core.expected_hosts import read_planned

NOW = 1_000_000.0
DONE = ReportedTimes(NOW - 10, NOW - 9)
LONG_AGO = ReportedTimes(NOW - 2 * QUIET_SECONDS, NOW - 2 * QUIET_SECONDS)
UP_TO_SERVICE = dict.fromkeys(REPORTED_STEPS, DONE)


def at(shown, step):
    return next(row for row in shown.rows if row.step is step)


@pytest.mark.parametrize(
    ("reported", "seen", "phase", "current"),
    [
        ({}, ObservedBringUp(), Phase.EXPECTED, BringUpStep.FETCH),
        ({BringUpStep.FETCH: DONE}, ObservedBringUp(), Phase.UNDER_WAY, BringUpStep.PREFLIGHT),
        (
            {BringUpStep.FETCH: DONE, BringUpStep.PREFLIGHT: ReportedTimes(NOW - 5)},
            ObservedBringUp(),
            Phase.UNDER_WAY,
            BringUpStep.PREFLIGHT,
        ),
        (
            {BringUpStep.FETCH: DONE, BringUpStep.PREFLIGHT: ReportedTimes(NOW, NOW, True)},
            ObservedBringUp(),
            Phase.FAILED,
            BringUpStep.PREFLIGHT,
        ),
        (
            {BringUpStep.FETCH: ReportedTimes(NOW, NOW, True, "no way in")},
            ObservedBringUp(),
            Phase.FAILED,
            BringUpStep.FETCH,
        ),
        (
            {BringUpStep.FETCH: LONG_AGO, BringUpStep.PREFLIGHT: ReportedTimes(NOW - QUIET_SECONDS - 1)},
            ObservedBringUp(),
            Phase.CUT_OFF,
            BringUpStep.PREFLIGHT,
        ),
        (UP_TO_SERVICE, ObservedBringUp(joined=NOW), Phase.UNDER_WAY, BringUpStep.CONNECT),
        (UP_TO_SERVICE, ObservedBringUp(NOW, NOW, NOW), Phase.AT_THE_GATE, BringUpStep.ADMIT),
        (UP_TO_SERVICE, ObservedBringUp(NOW, NOW, NOW, turned_away=True), Phase.FAILED, BringUpStep.ADMIT),
        (UP_TO_SERVICE, ObservedBringUp(NOW, NOW, NOW, NOW, proof="running"), Phase.UNDER_WAY, BringUpStep.PROVE),
        (UP_TO_SERVICE, ObservedBringUp(NOW, NOW, NOW, NOW, proof="failed"), Phase.FAILED, BringUpStep.PROVE),
    ],
)
def test_the_sheet_says_where_a_machine_stands(reported, seen, phase, current):
    shown = progress(reported, seen, NOW)
    assert shown.phase is phase
    row = at(shown, current)
    assert row.state in (State.NOW, State.FAILED, State.WAITS)
    assert row.detail or row.state is State.NOW or row.remedy == ()
    assert all(one.state is State.DONE for one in shown.rows[: list(BringUpStep).index(current)])


def test_a_proof_that_passed_is_the_end():
    shown = progress(
        UP_TO_SERVICE, ObservedBringUp(NOW, NOW, NOW, NOW, proof="passed", proof_began=NOW, proof_ended=NOW + 3), NOW
    )
    assert shown.phase is Phase.FINISHED
    assert at(shown, BringUpStep.PROVE).seconds == 3


def test_a_failure_is_past_once_a_later_step_is_done():
    failed = {**UP_TO_SERVICE, BringUpStep.SERVICE: ReportedTimes(NOW, NOW, True, "no password", ("install",))}
    stuck = progress(failed, ObservedBringUp(joined=NOW), NOW)
    assert (stuck.phase, at(stuck, BringUpStep.SERVICE).remedy) == (Phase.FAILED, ("install",))
    mended = progress(failed, ObservedBringUp(joined=NOW, connected=NOW), NOW)
    assert at(mended, BringUpStep.SERVICE).state is State.DONE
    assert mended.phase is Phase.UNDER_WAY


def test_what_the_server_sees_counts_more_than_what_it_was_told():
    shown = progress({}, ObservedBringUp(joined=NOW, connected=NOW), NOW)
    assert {at(shown, step).state for step in REPORTED_STEPS} == {State.DONE}


def test_an_admission_before_the_machine_called_hides_nothing():
    shown = progress(
        {**UP_TO_SERVICE, BringUpStep.SERVICE: ReportedTimes(NOW, NOW, True)},
        ObservedBringUp(joined=NOW, admitted=NOW),
        NOW,
    )
    assert (shown.phase, at(shown, BringUpStep.SERVICE).state) == (Phase.FAILED, State.FAILED)


@pytest.mark.parametrize("family", ["linux", "macos", "windows"])
def test_a_service_that_was_started_and_never_called_is_in_trouble(family):
    reported = {**UP_TO_SERVICE, BringUpStep.SERVICE: ReportedTimes(NOW - 90, NOW - CALL_SECONDS - 1)}
    shown = progress(reported, ObservedBringUp(joined=NOW - 95), NOW, family=family)
    assert shown.phase is Phase.FAILED
    assert "has not connected" in at(shown, BringUpStep.CONNECT).detail
    assert "paddock-agent service status" in at(shown, BringUpStep.CONNECT).remedy


def test_a_long_reason_is_cut_where_a_list_shows_it():
    found = "disk: No room. And much more to say about it.\nA second line."
    short = progress({BringUpStep.INSTALL: ReportedTimes(NOW, NOW, True, found)}, ObservedBringUp(), NOW).sentence
    assert short == "Stopped at “Agent installed”: disk: No room."
    endless = progress(
        {BringUpStep.INSTALL: ReportedTimes(NOW, NOW, True, "word " * 99)}, ObservedBringUp(), NOW
    ).sentence
    assert endless.endswith("word …")
    assert len(endless) < 220


def test_one_started_by_hand_has_no_service_and_one_given_up_says_where():
    assert at(progress({}, ObservedBringUp(), NOW, by_hand=True), BringUpStep.SERVICE).state is State.LEFT_OUT
    reported = {BringUpStep.FETCH: DONE, BringUpStep.PREFLIGHT: ReportedTimes(NOW, NOW, True)}
    assert progress(reported, ObservedBringUp(), NOW, given_up=True).sentence == "Given up at “Machine checked”."


moments = st.none() | st.floats(0, 2 * NOW)
proofs = st.sampled_from(["", "waiting", "passed", "lost"])
tellings = st.builds(ReportedTimes, st.floats(0, 2 * NOW), moments, st.booleans(), st.text(max_size=5))


@given(
    st.dictionaries(st.sampled_from(sorted(REPORTED_STEPS)), tellings),
    st.builds(
        ObservedBringUp,
        moments,
        moments,
        moments,
        moments,
        st.booleans(),
        proof=proofs,
    ),
    st.booleans(),
    st.booleans(),
)
def test_whatever_is_told_the_sheet_has_every_step_once_and_a_sentence(reported, seen, by_hand, given_up):
    shown = progress(reported, seen, NOW, by_hand=by_hand, given_up=given_up)
    assert [row.step for row in shown.rows] == list(BringUpStep)
    assert shown.sentence.endswith((".", "…"))
    assert "\n" not in shown.sentence
    assert sum(row.state is State.NOW for row in shown.rows) <= 2, "a proof may run beside one other step"
    if shown.phase is Phase.FAILED:
        assert any(row.state is State.FAILED for row in shown.rows)


CSV = 'name,system,processor,labels,slots\nknot-11,linux,x64,"bench-rig, firmware",4\nrusset-07,macOS,arm64,,\n'


def test_a_table_of_machines_is_read_as_csv_and_as_json():
    found, mistakes = read_planned(CSV)
    assert mistakes == ()
    assert [(one.name, one.system, one.arch, one.labels, one.slots) for one in found] == [
        ("knot-11", "linux", "x64", ("bench-rig", "firmware"), 4),
        ("russet-07", "macos", "arm64", (), 0),
    ]
    same = '[{"name": "knot-11", "os": "linux", "labels": ["bench-rig", "firmware"], "slots": 4}]'
    assert read_planned(same)[0] == (found[0],)
    assert read_planned("\ufeff" + CSV) == (found, ())
    semicolons = "name;system\nknot-11;linux\n"
    assert read_planned(semicolons)[0][0].name == "knot-11"


@pytest.mark.parametrize(
    ("text", "row", "column", "says"),
    [
        ("", 0, "", "no machine"),
        ("name,system\n", 0, "", "no machine"),
        ("name\nknot-11\n", 0, "", "“system” is missing"),
        ("name,sytem\nknot-11,linux\n", 0, "", "Did you mean “system”?"),
        ("name,system\nknot-11,linx\n", 1, "system", "Did you mean linux?"),
        ("name,system\n,linux\n", 1, "name", "is missing"),
        ("name,system\na,linux\nA,linux\n", 2, "name", "the name of row 1 too"),
        ("name,system,slots\na,linux,many\n", 1, "slots", "not a number of slots"),
        ("name,system,processor\na,linux,mips\n", 1, "processor", "x64 or arm64"),
        ("name,system,supervisor\na,linux,cron\n", 1, "supervisor", "by hand"),
        ("name,system\na,linux,more\n", 0, "", "A cell with commas needs quotes"),
        ('name,system\n"a,linux\n', 0, "", "not valid CSV"),
        ("[1]", 0, "", "list of objects"),
        ("[{", 0, "", "not valid JSON"),
        ("[" * 100_000, 0, "", "not valid JSON"),
    ],
)
def test_a_mistake_in_a_table_says_which_row_and_column(text, row, column, says):
    _, mistakes = read_planned(text)
    assert (mistakes[0].row, mistakes[0].column) == (row, column)
    assert says in mistakes[0].sentence


@given(st.text(max_size=300))
def test_any_text_gives_machines_or_mistakes(text):
    found, mistakes = read_planned(text)
    assert found or mistakes

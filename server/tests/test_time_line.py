"""A restored database is recognised, and old runs never count as new ones."""

from __future__ import annotations

import pytest
from people import FACTS
from placing import end, placed, submit
from printing import printed

from paddock_agent import wire
from paddock_server.health.actions.greet import greet
from paddock_server.logbook.models import Entry
from paddock_server.time_line.actions.check import check_time_line
from paddock_server.time_line.actions.mark import mark
from paddock_server.time_line.beside import read_beside
from paddock_server.time_line.identity import current_time_line, given_out, new_identity
from paddock_server.time_line.models import TimeLine
from paddock_server.work.actions.note_restore import note_restore
from paddock_server.work.actions.record_report import attempt_called, record_report
from paddock_server.work.models import Attempt


@pytest.fixture(autouse=True)
def folder(settings, tmp_path, django_capture_on_commit_callbacks):
    """A data folder of the test's own; what is done after commit is done at once."""
    settings.DATA = tmp_path
    with django_capture_on_commit_callbacks(execute=True):
        check_time_line()
    return tmp_path


@pytest.fixture
def after_commit(django_capture_on_commit_callbacks):
    return lambda: django_capture_on_commit_callbacks(execute=True)


def set_back(line):
    """The database as it was when ``line`` was read."""
    TimeLine.objects.filter(pk=line.pk).update(mark=line.mark, previous_mark=line.previous_mark)


def test_a_database_that_goes_on_keeps_its_time_line(after_commit):
    first = current_time_line()
    for _ in range(3):
        with after_commit():
            assert check_time_line().identity == first.identity


def test_a_server_killed_between_the_two_marks_keeps_its_time_line(folder, after_commit):
    before = (folder / "time-line.json").read_text()
    with after_commit():
        mark(current_time_line())
    (folder / "time-line.json").write_text(before)
    with after_commit():
        assert check_time_line().pk == current_time_line().pk
    assert TimeLine.objects.count() == 1


def test_a_file_that_cannot_be_written_makes_no_restore_of_it(folder, after_commit, monkeypatch):
    from paddock_server.time_line.actions import mark as module

    with monkeypatch.context() as full_disk:
        full_disk.setattr(module, "write_beside", lambda beside: None)
        for _ in range(5):
            with after_commit():
                mark(current_time_line())
    with after_commit():
        check_time_line()
    assert TimeLine.objects.count() == 1


@pytest.mark.parametrize("marks_since", [1, 2, 7])
def test_an_older_database_begins_a_new_time_line_and_uses_no_number_again(
    marks_since, operator, new_host, after_commit
):
    new_host("avocet-01")
    backup = current_time_line()
    for _ in range(marks_since):
        with after_commit():
            mark(current_time_line())
    used = submit(operator).json()["id"]
    with after_commit():
        mark(current_time_line())
    set_back(backup)
    with after_commit():
        assert check_time_line().identity != backup.identity
    assert submit(operator).json()["id"] > used + 1000
    assert Entry.objects.filter(verb="began", noun="time line").count() == 2


def test_a_log_of_a_job_that_the_database_does_not_know_begins_a_new_time_line(settings, after_commit, operator):
    folder = settings.LOGS / "000041"
    folder.mkdir(parents=True)
    (folder / f"41007-1-{'0' * 32}.log.gz").touch()
    with after_commit():
        assert "job 41007" in check_time_line().why
    assert submit(operator).json()["id"] > 41007


def test_a_copy_without_its_file_begins_a_new_time_line(folder, after_commit):
    (folder / "time-line.json").unlink()
    with after_commit():
        assert "copy" in check_time_line().why
    assert read_beside().mark == current_time_line().mark


@pytest.mark.parametrize("damaged", ["", "[]", "{}", '{"mark": 1}', "\x00", '{"mark": "x", "jobs": "many"}'])
def test_a_damaged_file_is_as_good_as_none(damaged, folder, after_commit):
    (folder / "time-line.json").write_text(damaged)
    with after_commit():
        check_time_line()
    assert TimeLine.objects.count() == 2


def test_an_old_attempt_with_the_same_numbers_is_not_the_new_one(operator, new_host):
    host = new_host("avocet-01")
    attempt = placed(operator, host)
    old = f"{attempt.job_id}-{attempt.number}-{'5a' * 16}"
    record_report(host, wire.AttemptEnded(attempt=old, outcome="exited", exit_code=0))
    record_report(host, wire.AttemptEnded(attempt=attempt.name, outcome="exited", exit_code=0))
    attempt.refresh_from_db()
    assert attempt.state == "running"
    assert attempt_called(host, old) is None
    assert attempt_called(host, attempt.wire_name) == attempt


def test_identities_and_logs_of_equal_numbers_are_apart(operator, new_host):
    host = new_host("avocet-01")
    attempt = end(host, placed(operator, host))
    printed(attempt, b"the first\n")
    twin = Attempt(job=attempt.job, number=attempt.number, identity=new_identity(attempt.job_id, attempt.number))
    assert twin.log_file != attempt.log_file
    proof = operator.get(f"/api/v1/jobs/{attempt.job_id}/attempts/1/proof/").json()
    assert proof["predicate"]["runDetails"]["metadata"]["invocationId"].endswith(f"#{attempt.wire_name}")


def test_who_works_for_another_time_line_loses_what_it_has(operator, new_host):
    host = new_host("avocet-01")
    attempt = placed(operator, host)
    hello = wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[attempt.wire_name], time_line="of-a-later-state")
    welcome = greet(host.pk, hello, "10.0.0.7")
    attempt.refresh_from_db()
    assert (attempt.state, welcome.time_line) == ("lost", current_time_line().identity)
    assert "restored" in attempt.note


def test_what_was_placed_since_the_restore_is_not_of_the_time_before_it(operator, new_host):
    host = new_host("avocet-01")
    attempt = placed(operator, host)
    greet(
        host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[], time_line="of-a-later-state"), "10.0.0.7"
    )
    attempt.refresh_from_db()
    assert (attempt.state, "restored" in attempt.note) == ("lost", False)


def test_an_offer_that_never_arrived_is_not_said_to_have_been_killed(operator, new_host):
    from paddock_server.work.round import run_round

    host = new_host("avocet-01")
    submit(operator)
    run_round()
    greet(host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[]), "10.0.0.7")
    attempt = Attempt.objects.get()
    assert "did not reach it" in attempt.note
    assert "killed" not in attempt.note


def lines_after(hello, after_commit):
    with after_commit():
        begun = note_restore(hello)
    return begun, TimeLine.objects.count()


def test_an_agent_that_holds_a_signed_attempt_proves_a_restore(operator, new_host, after_commit):
    line = current_time_line()
    ahead = f"812-1-{new_identity(812, 1)}"
    assert given_out(line, ahead) == (812, ahead[-32:])
    hello = wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[ahead], time_line=line.identity)
    assert lines_after(hello, after_commit) == (True, 2)
    assert submit(operator).json()["id"] > 812
    assert lines_after(hello, after_commit) == (False, 2), "its signature is of an earlier time line"


def test_a_hostile_agent_proves_nothing(operator, new_host, after_commit):
    line = current_time_line()
    attempt = placed(operator, new_host("avocet-01"))
    signed = new_identity(900, 1)
    forged = [
        attempt.wire_name,
        f"901-1-{signed}",
        f"900-2-{signed}",
        f"900-1-{signed[:16]}{'0' * 16}",
        f"900-1-{signed[:-1]}",
        "900-1",
        "x" * 200,
        f"{'9' * 30}-1-{signed}",
    ]
    hello = wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=forged, time_line=line.identity)
    assert lines_after(hello, after_commit) == (False, 1)
    hello = wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[f"900-1-{signed}"], time_line="another")
    assert lines_after(hello, after_commit) == (False, 1)

"""Retention: which rule removes which records, the preview, and what always stays."""

from __future__ import annotations

import random
from datetime import timedelta
from importlib import import_module

import pytest
from asgiref.sync import async_to_sync, sync_to_async
from django.utils import timezone
from placing import url
from printing import printed

from paddock_core.retention import RecordKind, RetentionRule, rule_for
from paddock_server.bring_up.models import BringUp
from paddock_server.errors import Invalid, NotAllowed
from paddock_server.health.models import Finding
from paddock_server.hosts.models import Paddock
from paddock_server.housekeeping import models
from paddock_server.housekeeping.rules import retention_rules
from paddock_server.logbook.models import Entry, SyslogPosition
from paddock_server.people.actor import COMMAND_LINE, person
from paddock_server.planning.models import PastDay
from paddock_server.retention import loop
from paddock_server.retention.actions.save_rules import save_rules
from paddock_server.retention.expired import expired
from paddock_server.retention.preview import preview
from paddock_server.runs.models import TestCase
from paddock_server.toolchains.models import SurveyChange
from paddock_server.work.models import Attempt, Job, Submission

NOW = timezone.now()
DAY = timedelta(days=1)
FIRST_RULES = import_module("paddock_server.housekeeping.migrations.0002_rules_of_paddocks")


@pytest.fixture(autouse=True)
def one_connection(monkeypatch):
    """The database of these tests is gone with its connection, which the loop's way closes."""
    monkeypatch.setattr(loop, "database_sync_to_async", sync_to_async)


@pytest.fixture(autouse=True)
def new_server(db):
    """The rules of a new server, which tests that empty the database may have removed."""
    if not models.RetentionRule.objects.exists():
        models.RetentionRule.objects.create(kind="logs and files", days=FIRST_RULES.USUAL_DAYS)


def remove(now=NOW):
    return async_to_sync(loop.remove_all_expired)(now, rest=0)


def rules(*wanted):
    save_rules(COMMAND_LINE, list(wanted))


def ended(host, age, *, name="chart", pipeline="almanac-docs", submission=None):
    """An attempt of a job that ended ``age`` days ago."""
    at = NOW - age * DAY
    job = Job.objects.create(
        name=name, pipeline=pipeline, state="passed", submitted_at=at, submitted_by="x", ended_at=at,
        submission=submission,
    )  # fmt: skip
    return Attempt.objects.create(job=job, number=1, host=host, state="passed", offered_at=at, ended_at=at)


# ---- logs and files ------------------------------------------------------------------------------------------------


def test_logs_and_files_go_when_they_are_retained_no_longer(administrator, new_host):
    attempt = ended(new_host(), 10)
    printed(attempt, b"up\n")
    output = attempt.outputs.create(number=0, path="chart.txt", size=3, sha256="0" * 64, whole=True)
    output.file.parent.mkdir(parents=True)
    output.file.write_bytes(b"abc")
    rules(RetentionRule(RecordKind.FILES, 30, paddock="shoreline"))
    sheet = administrator.get(url(attempt)).json()
    until = attempt.ended_at + 30 * DAY
    assert (sheet["removed_at"], sheet["retained_until"][:10]) == (None, f"{until:%Y-%m-%d}")
    assert remove(until - timedelta(seconds=1)) == 0
    assert (remove(until + timedelta(seconds=1)), remove(until + DAY)) == (1, 0)
    assert not output.file.exists()
    assert list(attempt.log_file.parent.iterdir()) == []
    for gone, what in ((f"/api/v1/jobs/{attempt.job_id}/log/", "log was"), (url(attempt, "outputs/0/"), "files were")):
        refused = administrator.get(gone)
        assert (refused.status_code, what in refused.json()["detail"]) == (404, True)
    sheet = administrator.get(url(attempt)).json()
    assert (sheet["log_lines"], sheet["outputs"][0]["path"], sheet["state"]) == (0, "chart.txt", "passed")
    assert sheet["removed_at"]
    line = Entry.objects.get(verb="removed expired")
    assert (line.who, line.thing, line.paddock) == ("the server", "logs and files", "shoreline")
    assert line.details == {"records": 1, "older_than_days": 30}


def test_without_a_rule_and_with_0_days_nothing_goes(new_host):
    attempt = ended(new_host(), 20_000)
    printed(attempt, b"up\n")
    for wanted in ([], [RetentionRule(kind, 0) for kind in RecordKind]):
        rules(*wanted)
        assert remove() == 0
    assert attempt.log_file.exists()


def test_what_runs_is_no_record_yet(new_host):
    attempt = ended(new_host(), 100)
    Job.objects.update(state="running", ended_at=None)
    Attempt.objects.update(state="running", ended_at=None)
    rules(*(RetentionRule(kind, 1) for kind in RecordKind if kind is not RecordKind.LOGBOOK))
    assert remove() == 0
    assert Attempt.objects.get().pk == attempt.pk


# ---- jobs and tests ------------------------------------------------------------------------------------------------


def test_a_job_goes_with_all_that_hangs_on_it(new_host):
    submission = Submission.objects.create(pipeline="almanac-docs", submitted_at=NOW, submitted_by="x")
    attempt = ended(new_host(), 100, submission=submission)
    printed(attempt, b"up\n")
    attempt.test_cases.create(name="tide", outcome="passed")
    attempt.steps.create(number=0)
    other = ended(attempt.host, 1)
    rules(RetentionRule(RecordKind.JOBS, 90))
    assert remove() == 1
    assert list(Job.objects.all()) == [other.job]
    assert not list(attempt.log_file.parent.glob("*"))
    assert not TestCase.objects.exists()
    assert not Submission.objects.exists()
    assert Job.objects.create(name="x", pipeline="p", submitted_at=NOW, submitted_by="x").pk > other.job_id


def test_a_submission_stays_with_its_younger_jobs(new_host):
    submission = Submission.objects.create(pipeline="almanac-docs", submitted_at=NOW, submitted_by="x")
    ended(new_host(), 100, submission=submission)
    ended(new_host(), 1, submission=submission)
    rules(RetentionRule(RecordKind.JOBS, 90))
    assert (remove(), Submission.objects.count()) == (1, 1)


def test_a_job_for_which_another_waits_stays(new_host):
    first = ended(new_host(), 100)
    waiting = Job.objects.create(name="flash", pipeline="x", after=[first.job_id], submitted_at=NOW, submitted_by="x")
    rules(RetentionRule(RecordKind.JOBS, 90))
    assert remove() == 0
    Job.objects.filter(pk=waiting.pk).update(state="cancelled", ended_at=NOW)
    assert remove() == 1


def test_a_job_that_never_ran_is_of_no_paddock(new_host):
    new_host()
    at = NOW - 50 * DAY
    Job.objects.create(name="x", pipeline="p", state="cancelled", submitted_at=at, submitted_by="x", ended_at=at)
    rules(RetentionRule(RecordKind.JOBS, 1, paddock="shoreline"))
    assert remove() == 0
    rules(RetentionRule(RecordKind.JOBS, 1))
    assert remove() == 1


def test_the_proof_of_a_bring_up_may_go(new_host):
    attempt = ended(new_host(), 100)
    sheet = BringUp.objects.create(
        code="c", paddock=attempt.host.paddock, system="linux", arch="x64", made_by="x", proof=attempt.job
    )
    rules(RetentionRule(RecordKind.JOBS, 90))
    assert remove() == 1
    sheet.refresh_from_db()
    assert sheet.proof is None


@pytest.mark.parametrize("keep_last", [0, 1, 2, 3, 4])
def test_the_last_runs_of_each_job_stay_besides(new_host, keep_last):
    host = new_host()
    numbers = [ended(host, age).job_id for age in (50, 40, 30)]
    numbers += [ended(host, 40, name="lint").job_id, ended(host, 45, pipeline="pilot").job_id]
    rules(RetentionRule(RecordKind.JOBS, 20, keep_last))
    left = 3 * min(keep_last, 1) + max(0, min(keep_last, 3) - 1)
    assert (remove(), Job.objects.count()) == (5 - left, left)
    assert {numbers[2], numbers[3], numbers[4]} <= set(Job.objects.values_list("pk", flat=True)) or keep_last == 0


def test_runs_that_ended_at_the_same_moment_are_parted_by_number(new_host):
    host = new_host()
    numbers = [ended(host, 50).job_id for _ in range(5)]
    rules(RetentionRule(RecordKind.JOBS, 20, 2))
    assert remove() == 3
    assert sorted(Job.objects.values_list("pk", flat=True)) == numbers[3:]


@pytest.mark.parametrize("seed", range(8))
def test_any_rules_remove_what_a_plain_reading_of_them_does(new_host, seed):
    choice = random.Random(seed)
    hosts = [new_host(paddock=Paddock.objects.get_or_create(name=name)[0]) for name in ("orchard", "annex")]
    for _ in range(60):
        attempt = ended(
            choice.choice(hosts), choice.randint(0, 12) + 0.5, name=choice.choice("ab"), pipeline=choice.choice("pq")
        )
        attempt.test_cases.create(name="tide", outcome="passed")
    scopes = [(paddock, pipeline) for paddock in ("", "orchard", "annex") for pipeline in ("", "p", "q")]
    wanted = [
        RetentionRule(kind, choice.randint(0, 9), choice.choice([0, 0, 1, 3]), *scope)
        for kind in (RecordKind.FILES, RecordKind.TESTS, RecordKind.JOBS)
        for scope in choice.sample(scopes, choice.randint(0, 5))
    ]
    rules(*wanted)
    jobs = list(Job.objects.order_by("ended_at", "pk").prefetch_related("attempts__host__paddock"))

    def plainly(kind):
        found = set()
        for place, job in enumerate(jobs):
            rule = rule_for(wanted, kind, job.attempts.all()[0].host.paddock.name, job.pipeline)
            later = sum((one.pipeline, one.name) == (job.pipeline, job.name) for one in jobs[place + 1 :])
            if rule.days and job.ended_at < NOW - rule.days * DAY and not later < rule.keep_last:
                found.add(job.pk)
        return found

    job_of = {RecordKind.FILES: "job", RecordKind.TESTS: "attempt__job", RecordKind.JOBS: "pk"}
    for kind in job_of:
        found = [
            number
            for rule, records in expired(wanted, NOW)
            if rule.kind is kind
            for number in records.values_list(job_of[kind], flat=True)
        ]
        assert len(found) == len(set(found)), "a record is removed by one rule"
        assert set(found) == plainly(kind), kind
    shown = {wanted[one.rule].kind: 0 for one in preview(wanted, NOW)}
    for one in preview(wanted, NOW):
        shown[wanted[one.rule].kind] += one.records
    assert shown == {kind: len(plainly(kind)) for kind in job_of if plainly(kind)}
    gone = plainly(RecordKind.JOBS)
    remove()
    assert set(Job.objects.values_list("pk", flat=True)) == {job.pk for job in jobs} - gone
    assert preview(wanted, NOW) == []


# ---- the other kinds -----------------------------------------------------------------------------------------------


def test_closed_findings_and_survey_changes_go_and_open_ones_stay(new_host):
    host = new_host()
    for closed in (None, NOW - 10 * DAY, NOW - 100 * DAY):
        Finding.objects.create(
            key=f"k{closed}", code="c", since=NOW - 200 * DAY, opened_at=NOW - 200 * DAY, closed_at=closed,
            paddock="shoreline",
        )  # fmt: skip
    SurveyChange.objects.all().delete()
    for age in (10, 100):
        SurveyChange.objects.create(host=host, kind="tool", name="git", what="added", at=NOW - age * DAY)
    rules(RetentionRule(RecordKind.FINDINGS, 90), RetentionRule(RecordKind.SURVEYS, 90, paddock="shoreline"))
    assert remove() == 2
    assert sorted(one is None for one in Finding.objects.values_list("closed_at", flat=True)) == [False, True]
    assert SurveyChange.objects.get().at > NOW - 11 * DAY


def old_lines(number):
    Entry.objects.bulk_create(
        Entry(who="x", verb="held", noun="host", thing=f"knot-{place}") for place in range(number)
    )
    Entry.objects.filter(verb="held").update(at=NOW - 400 * DAY)


def test_the_logbook_goes_by_its_rule_alone_and_its_removal_is_in_it(new_host):
    old_lines(3)
    with pytest.raises(TypeError):
        Entry.objects.filter(verb="held").first().delete()
    rules(RetentionRule(RecordKind.LOGBOOK, 365))
    assert remove() == 3
    assert not Entry.objects.filter(verb="held").exists()
    assert Entry.objects.get(verb="removed expired").details["records"] == 3


def test_lines_that_have_not_gone_out_as_syslog_stay(monkeypatch):
    monkeypatch.setenv("PADDOCK_SYSLOG", "udp://127.0.0.1:9")
    old_lines(4)
    rules(RetentionRule(RecordKind.LOGBOOK, 365))
    assert remove() == 0
    second = Entry.objects.filter(verb="held").order_by("pk")[1].pk
    SyslogPosition.objects.update_or_create(pk=1, defaults={"entry": second})
    assert remove() == 2


def test_it_goes_in_steps(new_host, monkeypatch):
    monkeypatch.setitem(loop.AT_A_TIME, RecordKind.JOBS, 2)
    host = new_host()
    for _ in range(5):
        ended(host, 50)
    rules(RetentionRule(RecordKind.JOBS, 20))
    assert remove() == 5
    records = [one.details["records"] for one in Entry.objects.filter(verb="removed expired").order_by("pk")]
    assert records == [2, 2, 1]


# ---- the rules themselves ------------------------------------------------------------------------------------------

FILES = {"kind": "logs and files", "days": 365, "keep_last": 0, "paddock": "", "pipeline": ""}


def test_a_new_server_keeps_logs_and_files_for_a_year_and_the_rest_for_ever(administrator):
    assert administrator.get("/api/v1/server/retention/").json() == {"rules": [FILES]}


def test_rules_are_shown_with_what_they_remove_before_they_are_saved(administrator, new_host):
    attempt = ended(new_host(), 100)
    printed(attempt, b"up\n" * 100)
    attempt.outputs.create(number=0, path="chart.txt", size=700, sha256="0" * 64, whole=True)
    wanted = [FILES, {"kind": "logs and files", "days": 30, "pipeline": "almanac-docs"}, {"kind": "jobs", "days": 400}]
    answer = administrator.post("/api/v1/server/retention/preview/", {"rules": wanted}, format="json").json()
    (one,) = answer["removes"]
    assert (one["rule"], one["records"]) == (1, 1)
    assert 1000 < one["bytes"] < 1100, "the log, the file, and the index of the log"
    assert one["oldest_at"][:10] == f"{attempt.ended_at:%Y-%m-%d}"
    assert attempt.log_file.exists()
    assert len(retention_rules()) == 1
    saved = administrator.put("/api/v1/server/retention/", {"rules": wanted}, format="json")
    assert [one["days"] for one in saved.json()["rules"]] == [365, 30, 400]
    line = Entry.objects.get(verb="changed", noun="retention")
    assert (len(line.details["before"]), len(line.details["after"])) == (1, 3)


@pytest.mark.parametrize(
    ("wanted", "says"),
    [
        ([{"kind": "logs", "days": 1}], "not a valid choice"),
        ([{"kind": "jobs", "days": -1}], "greater than or equal"),
        ([{"kind": "jobs", "days": 10**9}], "less than or equal"),
        ([{"kind": "jobs"}], "required"),
        ([{"kind": "jobs", "days": 1, "paddock": "nowhere"}], "no paddock nowhere"),
        ([FILES, FILES], "two rules"),
        ([{"kind": "logbook", "days": 7}], "at least 30"),
        ([{"kind": "logbook", "days": 90, "pipeline": "pilot"}], "no pipeline"),
        ([{"kind": "recorded use", "days": 90, "paddock": "HERE"}], "all paddocks together"),
        ("all", "list"),
    ],
)
@pytest.mark.parametrize("where", ["/api/v1/server/retention/", "/api/v1/server/retention/preview/"])
def test_rules_that_cannot_be_are_refused_and_nothing_changes(administrator, wanted, says, where):
    ask = administrator.post if "preview" in where else administrator.put
    answer = ask(where, {"rules": wanted}, format="json")
    assert (answer.status_code, says in answer.content.decode()) == (400, True), answer.content
    assert [one.days for one in retention_rules()] == [365]


def test_only_administrators_for_everything_change_retention(operator):
    assert operator.get("/api/v1/server/retention/").status_code == 403
    assert operator.put("/api/v1/server/retention/", {"rules": []}, format="json").status_code == 403
    with pytest.raises(NotAllowed):
        save_rules(person(operator.handler._force_user), [])


def test_a_removed_paddock_takes_its_rules_along(administrator, new_host):
    paddock = Paddock.objects.create(name="saltflat")
    rules(RetentionRule(RecordKind.JOBS, 1, paddock="saltflat"), RetentionRule(RecordKind.JOBS, 9))
    paddock.delete()
    assert [one.days for one in retention_rules()] == [9]
    with pytest.raises(Invalid):
        rules(*(RetentionRule(RecordKind.JOBS, 1, pipeline=f"p{number}") for number in range(201)))


def test_recorded_use_goes_by_whole_days_and_the_last_own_one_stays(administrator):
    for age, source in ((400, ""), (40, ""), (400, "elsewhere"), (20, "elsewhere")):
        PastDay.objects.create(day=(NOW - age * DAY).date(), source=source, runs=1, data=b"")
    wanted = [{"kind": "recorded use", "days": 30}]
    answer = administrator.post("/api/v1/server/retention/preview/", {"rules": wanted}, format="json").json()
    (one,) = answer["removes"]
    assert (one["records"], one["oldest_at"][:10]) == (2, f"{NOW - 400 * DAY:%Y-%m-%d}")
    rules(RetentionRule(RecordKind.USE, 30))
    remove()
    assert list(PastDay.objects.order_by("day").values_list("source", flat=True)) == ["", "elsewhere"]

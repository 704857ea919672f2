"""Jobs: submitted, placed, run, reported, lost, explained."""

from datetime import timedelta

import pytest
from django.utils import timezone
from people import FACTS, a_person
from placing import called
from printing import printed
from streaming import whole

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.board.fit_view import FitSerializer
from paddock_server.health.actions.greet import greet
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.models import LinkChange
from paddock_server.hosts.models import Host
from paddock_server.link.leases import expire, owed_after_start
from paddock_server.people.models import Role
from paddock_server.runs import log_store
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.toolchains.models import Installation
from paddock_server.work import round
from paddock_server.work.actions.expire_offer import expire_offer
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.fleet import REFUSAL_SECONDS
from paddock_server.work.models import Attempt, Job
from paddock_server.work.round import run_round


def submit(client, terms=(), **more):
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": terms, "script": "make", **more}
    return client.post("/api/v1/jobs/", body, format="json")


def placed(client, host, **more):
    """A job that runs on ``host``."""
    number = submit(client, **more).json()["id"]
    run_round()
    record_report(host, wire.AttemptStarted(attempt=called(number), account="build", folder=f"/work/{number}-1"))
    return Job.objects.get(pk=number)


def state(job):
    job.refresh_from_db()
    return job.state


@pytest.mark.parametrize(
    ("terms", "pointer", "column", "nearest"),
    [
        (["os linux", "tol maven 3.8+"], "/terms/1", 1, "tool"),
        (["os linx"], "/terms/0", 4, "linux"),
        (["tool jdk >=18 <17"], "/terms/0", 15, None),
        (["", "os linux"], "/terms/0", 1, None),
    ],
)
def test_a_misspelt_term_is_refused_with_its_column_and_the_nearest_word(operator, terms, pointer, column, nearest):
    answer = submit(operator, terms)
    assert answer.status_code == 400
    (error,) = answer.json()["errors"]
    assert (error["pointer"], error["column"], error["nearest"]) == (pointer, column, nearest)
    assert f"column {column}" in answer.json()["detail"]
    assert not Job.objects.exists()


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"terms": ["os linux", "os macos"]}, "no host can meet both"),
        ({"terms": ["label x"] * 101}, "at most 100 terms"),
        ({"terms": "os linux"}, "list"),
        ({"terms": ["os linux"], "script": ""}, "script"),
        ({"terms": [], "time_limit": -1}, "time_limit"),
        ({"terms": [], "name": None}, "name"),
    ],
)
def test_a_job_that_is_not_right_says_where(operator, body, says):
    answer = submit(operator, **body)
    assert answer.status_code == 400
    assert says in answer.json()["detail"]


def test_a_job_waits_with_its_reason_from_the_first_answer_on(operator, new_host):
    new_host("avocet-01", labels=["release-signing"])
    job = submit(operator, ["os linux", "label relase-signing"]).json()
    assert (job["state"], job["reason_kind"], job["reason_nearest"]) == ("waiting", "no host fits", "release-signing")
    assert 'Did you mean "release-signing"' in job["reason"]
    fit = operator.get(f"/api/v1/jobs/{job['id']}/fit/").json()
    assert [(one["term"], one["hosts"]) for one in fit["terms"]] == [("os linux", 1), ("label relase-signing", 0)]
    assert [step["left"] for step in fit["funnel"]] == [1, 1, 1, 0, 0, 0]
    assert fit["hosts"][0]["remedy"] == "correct the job: `label release-signing`"


def test_the_reason_follows_what_happens_to_the_fleet(operator, new_host):
    job = Job.objects.get(pk=submit(operator, ["os linux"]).json()["id"])
    assert job.reason == "No host has been admitted yet."
    host = new_host("avocet-01", holding="held")
    run_round()
    job.refresh_from_db()
    assert job.reason == "1 host fits, but none can take jobs: avocet-01 is held."
    operator.post(f"/api/v1/hosts/{host.name}/resume/")
    run_round()
    assert state(job) == "offered"


def test_the_fit_of_terms_answers_for_every_host(viewer, new_host, orchard):
    new_host("avocet-01", tools=[("jdk", "17.0.9"), ("maven", "3.9.6")])
    new_host("russet-01", orchard, tools=[("jdk", "1.8.0_392")])
    new_host("knot-99", admitted=False, tools=[("jdk", "21")])
    terms = ["tool jdk 17+", "tool maven"]
    fit = viewer.post("/api/v1/fit/", {"terms": terms, "all": True}, format="json").json()
    assert (fit["all_hosts"], fit["fits"], [one["hosts"] for one in fit["terms"]]) == (2, 1, [1, 1])
    found = {row["host"]: [(v["holds"], v["found"]) for v in row["verdicts"]] for row in fit["hosts"]}
    assert found == {
        "avocet-01": [(True, "17.0.9"), (True, "3.9.6")],
        "russet-01": [(False, "1.8.0_392"), (False, "")],
        "knot-99": [(True, "21"), (False, "")],
    }
    inside = viewer.post("/api/v1/fit/", {"terms": terms, "paddock": " Orchard ", "all": True}, format="json").json()
    assert [row["host"] for row in inside["hosts"]] == ["russet-01"]
    wrong = viewer.post("/api/v1/fit/", {"terms": terms, "paddock": "meadow"}, format="json")
    assert wrong.status_code == 404
    assert "orchard, shoreline" in wrong.json()["detail"]


def test_a_job_runs_and_its_attempt_says_where(operator, new_host):
    host = new_host("avocet-01", tools=[("maven", "3.8.7")])
    job = placed(operator, host, terms=["tool maven 3.8+"])
    answer = operator.get(f"/api/v1/jobs/{job.pk}/").json()
    (attempt,) = answer["attempts"]
    assert (answer["state"], answer["reason"]) == ("running", "")
    assert (attempt["host"], attempt["account"], attempt["folder"]) == ("avocet-01", "build", f"/work/{job.pk}-1")
    assert [(tool["tool"], tool["version"]) for tool in attempt["tools"]] == [("maven", "3.8.7")]
    record_report(host, wire.AttemptEnded(attempt=called(job.pk), outcome="exited", exit_code=0))
    answer = operator.get(f"/api/v1/jobs/{job.pk}/").json()
    assert (answer["state"], answer["attempts"][0]["exit_code"]) == ("passed", 0)
    assert answer["started_at"] <= answer["ended_at"]


def test_an_end_that_is_told_twice_counts_once(operator, new_host):
    host = new_host()
    job = placed(operator, host)
    ended = wire.AttemptEnded(attempt=called(job.pk), outcome="exited", exit_code=1)
    record_report(host, ended)
    first = Attempt.objects.get()
    record_report(host, ended)
    record_report(host, wire.AttemptStarted(attempt=called(job.pk), account="other", folder="/elsewhere"))
    second = Attempt.objects.get()
    assert (first.ended_at, first.note, first.account) == (second.ended_at, second.note, second.account)


def test_an_agent_cannot_speak_for_another_hosts_attempts(operator, new_host):
    host, liar = new_host("avocet-01"), new_host("curlew-01", holding="held")
    job = placed(operator, host)
    for name in (called(job), "999-1", "rubbish", "1-0", "-1-1", "1" * 60 + "-1"):
        record_report(liar, wire.AttemptEnded(attempt=name, outcome="exited", exit_code=0))
    assert state(job) == "running"


@pytest.mark.parametrize(("retries", "then"), [(0, "lost"), (1, "waiting")])
def test_a_host_that_stays_away_loses_its_attempt(operator, new_host, retries, then):
    host = new_host()
    job = placed(operator, host, retries=retries)
    note_link(host, LinkEvent.SOCKET_CLOSED)
    assert owed_after_start() == [(host.pk, 45.0, 900.0)]
    expire(host.pk, 45)
    assert state(job) == then
    assert "Nothing was heard" in Attempt.objects.get().note
    record_report(host, wire.AttemptEnded(attempt=called(job.pk), outcome="exited", exit_code=0))
    assert state(job) == then
    assert "Reported late" in Attempt.objects.get().note


def test_an_agent_that_comes_back_without_an_attempt_has_lost_it(operator, new_host):
    host = new_host()
    job = placed(operator, host)
    welcome = greet(host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[called(job.pk)]), "10.0.0.9")
    assert (welcome.host, welcome.admitted, state(job)) == (host.name, True, "running")
    greet(host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[]), "10.0.0.9")
    assert state(job) == "lost"


def test_a_refused_offer_waits_again(operator, new_host):
    host = new_host()
    number = submit(operator).json()["id"]
    run_round()
    record_report(host, wire.AttemptRefused(attempt=called(number), why="the disk is full"))
    job = Job.objects.get()
    assert job.state == "waiting"
    assert job.reason
    assert job.attempts.get().note == "the disk is full"
    run_round()
    assert job.attempts.count() == 1, "not at once: it would refuse again"
    job.refresh_from_db()
    assert f"{host.name} is refusing" in job.reason
    Attempt.objects.update(ended_at=timezone.now() - timedelta(seconds=REFUSAL_SECONDS + 1))
    run_round()
    assert job.attempts.count() == 2


def test_a_round_that_meets_a_refusing_host_asks_for_another_by_itself(operator, new_host, monkeypatch):
    """Whoever refused may have done so before this server started: nothing else would wake the dispatcher."""
    asked = []
    monkeypatch.setattr(round.dispatcher, "wake_later", asked.append)
    host = new_host()
    number = submit(operator).json()["id"]
    run_round()
    assert asked == []
    record_report(host, wire.AttemptRefused(attempt=called(number), why="the disk is full"))
    run_round()
    assert asked == [REFUSAL_SECONDS + 1]
    Attempt.objects.update(ended_at=timezone.now() - timedelta(seconds=REFUSAL_SECONDS + 1))
    run_round()
    assert asked == [REFUSAL_SECONDS + 1]


def test_an_offer_that_nobody_answers_is_taken_back(operator, new_host):
    new_host()
    submit(operator)
    run_round()
    expire_offer(Attempt.objects.get().pk, 60)
    assert Job.objects.get().state == "waiting"
    assert "did not answer the offer within 60 s" in Attempt.objects.get().note
    expire_offer(Attempt.objects.get().pk, 60)
    assert Attempt.objects.get().state == "lost"


def test_cancelling(operator, viewer, new_host):
    waiting = submit(operator, ["label none"]).json()["id"]
    assert viewer.post(f"/api/v1/jobs/{waiting}/cancel/").status_code == 403
    assert operator.post(f"/api/v1/jobs/{waiting}/cancel/").json()["state"] == "cancelled"
    again = operator.post(f"/api/v1/jobs/{waiting}/cancel/")
    assert (again.status_code, "already ended" in again.json()["detail"]) == (409, True)
    host = new_host()
    running = placed(operator, host)
    assert operator.post(f"/api/v1/jobs/{running.pk}/cancel/").json()["cancel_asked"] is True
    record_report(host, wire.AttemptEnded(attempt=called(running.pk), outcome="cancelled"))
    assert state(running) == "cancelled"


def test_a_job_of_somebody_with_one_paddock_goes_only_there(new_host, shoreline, orchard):
    new_host("avocet-01", shoreline)
    loop = a_person("loop", Role.OPERATOR, orchard)
    job = submit(loop, ["os linux"]).json()
    run_round()
    assert Job.objects.get(pk=job["id"]).state == "waiting"
    host = new_host("russet-01", orchard)
    run_round()
    assert Attempt.objects.get().host == host


def test_a_draining_host_finishes_its_work_and_is_held_then(operator, new_host):
    host = new_host()
    job = placed(operator, host)
    assert operator.post(f"/api/v1/hosts/{host.name}/drain/").json()["holding"] == "draining"
    record_report(host, wire.AttemptEnded(attempt=called(job.pk), outcome="exited", exit_code=0))
    assert Host.objects.get().holding == "held"
    assert operator.post(f"/api/v1/hosts/{host.name}/resume/").json()["holding"] == ""
    assert operator.post(f"/api/v1/hosts/{host.name}/drain/").json()["holding"] == "held"


def test_a_draining_host_is_held_only_when_its_last_job_has_ended(operator, new_host):
    host = new_host(slots=2)
    first, second = placed(operator, host), placed(operator, host)
    operator.post(f"/api/v1/hosts/{host.name}/drain/")
    record_report(host, wire.AttemptEnded(attempt=called(first.pk), outcome="exited", exit_code=0))
    assert Host.objects.get().holding == "draining"
    record_report(host, wire.AttemptEnded(attempt=called(second.pk), outcome="exited", exit_code=0))
    assert Host.objects.get().holding == "held"


def test_a_host_that_did_not_answer_an_offer_counts_as_refusing_for_a_while(operator, new_host):
    host = new_host()
    submit(operator)
    run_round()
    expire_offer(Attempt.objects.get().pk, 60)
    run_round()
    assert Attempt.objects.count() == 1, "not at once: it would not answer again"
    assert f"{host.name} is refusing" in Job.objects.get().reason


def test_slots_are_never_overfilled(operator, new_host):
    new_host(slots=2)
    for _ in range(3):
        submit(operator)
    run_round()
    run_round()
    assert sorted(Job.objects.values_list("state", flat=True)) == ["offered", "offered", "waiting"]
    assert "busy" in Job.objects.get(state="waiting").reason


def test_a_survey_changes_only_what_changed(new_host):
    host = new_host(tools=[("git", "2.39.5"), ("make", "4.3")])
    since = Installation.objects.get(tool="make").seen_since
    newer = [
        wire.FoundInstallation("git", "2.45.1", "/usr/bin/git", "/usr", True),
        wire.FoundInstallation("make", "4.3", "/usr/bin/make", "/usr", True),
    ]
    record_survey(host, wire.SurveyReport(facts=FACTS, installations=newer))
    assert set(Installation.objects.values_list("tool", "version")) == {("git", "2.45.1"), ("make", "4.3")}
    assert Installation.objects.get(tool="make").seen_since == since


def test_a_log_is_plain_text_whatever_is_in_it(operator, new_host):
    job = placed(operator, new_host())
    attempt = job.attempts.get()
    printed(attempt, b"<script>alert(1)</script>\n")
    printed(attempt, b"<script>alert(1)</script>\n\xff\0more")
    printed(attempt, b"alert", 10)
    answer = operator.get(f"/api/v1/jobs/{job.pk}/log/")
    assert whole(answer) == b"<script>alert(1)</script>\n\xff\0more"
    assert answer.headers["Content-Type"] == "text/plain; charset=utf-8"
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert operator.get(f"/api/v1/jobs/{job.pk}/log/?offset=26").content == b"\xff\0more"
    for wrong, status in (("offset=-1", 400), ("offset=x", 400), ("attempt=7", 404)):
        assert operator.get(f"/api/v1/jobs/{job.pk}/log/?{wrong}").status_code == status


def test_a_log_stops_at_its_bound(operator, new_host, monkeypatch):
    monkeypatch.setattr(log_store, "MAX_LOG_BYTES", 100)
    attempt = placed(operator, new_host()).attempts.get()
    for offset in range(0, 400, 40):
        printed(attempt, b"x" * 40, offset)
    assert len(log_store.read(attempt)) == 100


def test_lists_are_paged_and_can_be_narrowed(operator, new_host):
    for _ in range(3):
        submit(operator, ["label none"])
    page = operator.get("/api/v1/jobs/?page_size=2").json()
    assert (page["count"], len(page["results"])) == (3, 2)
    assert len(operator.get(page["next"]).json()["results"]) == 1
    assert operator.get("/api/v1/jobs/?state=ended").json()["count"] == 0
    assert operator.get("/api/v1/jobs/?state=waiting&pipeline=almanac-docs").json()["count"] == 3
    assert "Known states: live" in operator.get("/api/v1/jobs/?state=none").json()["detail"]


def test_the_plate_traces_the_last_day(operator, viewer, new_host):
    host = new_host("avocet-01")
    now = timezone.now()
    LinkChange.objects.all().delete()
    for hours, state in ((300, "lost"), (200, "connected"), (12, "lost"), (6, "connected"), (2, "stopped")):
        LinkChange.objects.create(host=host, at=now - timedelta(hours=hours), state=state, cause="")
    job = placed(operator, host)
    Attempt.objects.filter(job=job).update(
        started_at=now - timedelta(hours=20), ended_at=now - timedelta(hours=18), state="passed"
    )
    (plate,) = viewer.get("/api/v1/yard/").json()["paddocks"][0]["hosts"]
    assert len(plate["trace"]) == 48
    assert plate["trace"][-4:] == "...."
    assert set(plate["trace"][25:35]) == {"-"}
    assert set(plate["trace"][13:23]) == {"0"}
    assert max(plate["trace"][8:12]) > "0"


def test_the_yard_asks_the_database_no_more_for_more_hosts(viewer, new_host, django_assert_max_num_queries):
    for _ in range(12):
        new_host()
    for _ in range(3):
        new_host(admitted=False)
    with django_assert_max_num_queries(14):
        assert len(viewer.get("/api/v1/yard/").json()["paddocks"][0]["hosts"]) == 15
    with django_assert_max_num_queries(14):
        assert viewer.get("/api/v1/hosts/").json()["count"] == 15
    with django_assert_max_num_queries(14):
        viewer.post("/api/v1/fit/", {"terms": ["tool git"]}, format="json")


def test_the_fit_sheet_is_what_its_schema_says(viewer, new_host):
    new_host(tools=[("jdk", "17.0.9")])
    fit = viewer.post("/api/v1/fit/", {"terms": ["tool jdk 21", "label none"]}, format="json").json()
    assert FitSerializer(fit).data == fit

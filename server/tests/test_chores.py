"""Chores: rolled over hosts, approved by another, proved by a survey."""

from datetime import timedelta

import pytest
from django.utils import timezone
from people import FACTS, a_person

from paddock_agent import wire
from paddock_server.chores.loop import roll_all
from paddock_server.chores.models import ChoreHost, ChoreRun
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt


def keep(client, **more):
    body = {"name": "install cmake", "script": "install-cmake", "wanted": ["tool cmake 3.28+"], "drain": False, **more}
    return client.post("/api/v1/chores/", body, format="json")


def start(client, chore, **chosen):
    return client.post(f"/api/v1/chores/{chore}/start/", chosen, format="json")


def begun(client, hosts, **more):
    """A run over these hosts, and how its hosts stand."""
    answer = start(client, keep(client, **more).json()["id"], hosts=[host.name for host in hosts])
    assert answer.status_code == 201, answer.json()
    roll_all()
    return answer.json()["id"]


def states(client, run):
    return [one["state"] for one in client.get(f"/api/v1/chore-runs/{run}/").json()["hosts"]]


def script_ended(host, code=0):
    attempt = Attempt.objects.filter(host=host).order_by("-pk").first()
    record_report(host, wire.AttemptStarted(attempt=attempt.wire_name, account="build", folder="/work"))
    record_report(host, wire.AttemptEnded(attempt=attempt.wire_name, outcome="exited", exit_code=code))


def ran(host, code=0, tools=(("git", "2.39.5"),)):
    """The agent of a host runs the script to its end, and surveys when it is asked to."""
    script_ended(host, code)
    roll_all()
    survey(host, tools, [mark_of(host)])
    roll_all()


def mark_of(host):
    return ChoreHost.objects.get(host=host, ended_at=None).mark


def survey(host, tools, marks=()):
    found = [wire.FoundInstallation(*one, f"/usr/bin/{one[0]}", "/usr", True) for one in tools]
    record_survey(host, wire.SurveyReport(facts=FACTS, installations=found, marks=list(marks)))


def test_it_goes_one_host_after_the_other_and_says_what_it_came_to_on_each(administrator, new_host):
    hosts = [new_host(f"knot-8{i}") for i in range(3)]
    run = begun(administrator, hosts, stop_after=0)
    assert states(administrator, run) == ["running", "waiting", "waiting"]
    ran(hosts[0], tools=[("git", "2.39.5"), ("cmake", "3.31.0")])
    assert states(administrator, run) == ["done", "running", "waiting"]
    ran(hosts[1])
    assert states(administrator, run) == ["done", "ran but not there", "running"]
    ran(hosts[2], code=5)
    assert states(administrator, run) == ["done", "ran but not there", "failed"]
    sheet = administrator.get(f"/api/v1/chore-runs/{run}/").json()
    assert sheet["state"] == "ended"
    assert sheet["hosts"][0]["changed"] == [
        {"what": "came", "tool": "cmake", "before": "", "after": "3.31.0", "place": "/usr/bin/cmake"}
    ]
    assert sheet["hosts"][1]["missing"] == ["tool cmake 3.28+"]
    assert "exit code 5" in sheet["hosts"][2]["detail"]
    assert Entry.objects.filter(verb="found it done on", thing="knot-80").exists()


def test_only_a_survey_that_began_after_the_script_proves_anything(administrator, new_host):
    host = new_host("knot-80")
    run = begun(administrator, [host])
    script_ended(host)
    host.link = "lost"
    host.save()
    roll_all()
    assert states(administrator, run) == ["surveying"], "a script may restart the network: it is asked later"
    host.link = "connected"
    host.save()
    survey(host, [("git", "2.39.5")])
    roll_all()
    survey(host, [("git", "2.39.5")], ["chore 0"])
    roll_all()
    assert states(administrator, run) == ["surveying"]
    survey(host, [("cmake", "3.31.0")], ["of a person", mark_of(host)])
    roll_all()
    assert states(administrator, run) == ["done"]


def test_a_script_whose_survey_never_comes_has_failed(administrator, new_host):
    host = new_host("knot-80")
    run = begun(administrator, [host])
    script_ended(host)
    roll_all()
    ChoreHost.objects.update(ran_at=timezone.now() - timedelta(minutes=11))
    roll_all()
    (row,) = administrator.get(f"/api/v1/chore-runs/{run}/").json()["hosts"]
    assert (row["state"], "never came" in row["detail"]) == ("failed", True)


def test_it_stops_after_a_failure_and_leaves_the_rest_out(administrator, new_host):
    hosts = [new_host(f"knot-8{i}") for i in range(4)]
    run = begun(administrator, hosts, at_once=2)
    ran(hosts[0], code=1)
    assert states(administrator, run) == ["failed", "running", "left out", "left out"]
    ran(hosts[1], tools=[("cmake", "3.30")])
    assert ChoreRun.objects.get(pk=run).state == "ended"


def test_it_drains_a_host_first_runs_on_it_while_held_and_lets_it_go_again(administrator, operator, new_host):
    from paddock_server.work.round import run_round

    host = new_host("knot-80")
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": [], "script": "make"}
    operator.post("/api/v1/jobs/", body, format="json")
    run_round()
    job = Attempt.objects.get()
    run = begun(administrator, [host], drain=True)
    sheet = administrator.get(f"/api/v1/chore-runs/{run}/").json()
    assert (sheet["hosts"][0]["state"], sheet["hosts"][0]["working"]) == ("draining", [f"compile (job {job.job_id})"])
    record_report(host, wire.AttemptEnded(attempt=job.wire_name, outcome="exited", exit_code=0))
    roll_all()
    host.refresh_from_db()
    assert (states(administrator, run), host.holding, host.hold_reason) == (["running"], "held", "chore install cmake")
    ran(host, tools=[("cmake", "3.30")])
    host.refresh_from_db()
    assert (states(administrator, run), host.holding) == (["done"], "")


def test_a_host_that_is_away_could_not_be_reached_and_one_that_refuses_failed(administrator, new_host):
    away, full = new_host("knot-80", connected=False), new_host("knot-81")
    run = begun(administrator, [away, full], stop_after=0)
    assert states(administrator, run) == ["could not reach", "running"]
    attempt = Attempt.objects.get(host=full)
    record_report(full, wire.AttemptRefused(attempt=attempt.wire_name, why="the disk is full"))
    roll_all()
    assert states(administrator, run) == ["could not reach", "failed"]
    assert administrator.get(f"/api/v1/chore-runs/{run}/").json()["hosts"][1]["detail"] == "the disk is full"


def test_a_paddock_may_want_a_second_person(administrator, shoreline, new_host):
    administrator.patch("/api/v1/paddocks/shoreline/", {"chores_need_approval": True}, format="json")
    host = new_host("knot-80")
    run = begun(administrator, [host])
    assert states(administrator, run) == ["waiting"]
    url = f"/api/v1/chore-runs/{run}/approve/"
    assert "Another person" in administrator.post(url, {"yes": True}, format="json").json()["detail"]
    assert a_person("deckhand", Role.OPERATOR).post(url, {"yes": True}, format="json").status_code == 403
    second = a_person("bosun", Role.ADMINISTRATOR)
    assert second.post(url, {"yes": True}, format="json").json()["approved_by"] == "bosun"
    roll_all()
    assert states(administrator, run) == ["running"]


def test_what_was_approved_is_what_runs_whatever_becomes_of_the_chore(administrator, new_host):
    host, other = new_host("knot-80"), new_host("knot-81")
    run = begun(administrator, [host, other])
    chore = ChoreRun.objects.get(pk=run).chore_id
    body = {"name": "install cmake", "script": "rm -rf /", "drain": False, "at_once": 9, "wanted": ["tool ninja"]}
    assert administrator.put(f"/api/v1/chores/{chore}/", body, format="json").status_code == 200
    roll_all()
    assert states(administrator, run) == ["running", "waiting"]
    ran(host, tools=[("cmake", "3.30")])
    assert states(administrator, run) == ["done", "running"]
    assert Attempt.objects.get(host=other).job.script == "install-cmake"


def test_it_is_stopped_by_hand_and_hosts_are_chosen_by_terms(administrator, new_host):
    hosts = [new_host(f"knot-8{i}", labels=["north"]) for i in range(2)]
    new_host("knot-90", labels=["south"])
    chore = keep(administrator).json()["id"]
    chosen = administrator.post("/api/v1/chosen-hosts/", {"terms": ["label north"]}, format="json").json()
    assert chosen == ["knot-80", "knot-81"]
    run = start(administrator, chore, terms=["label north"]).json()["id"]
    roll_all()
    assert start(administrator, chore, hosts=["knot-81"]).status_code == 409, "it waits for the first run"
    assert administrator.post(f"/api/v1/chore-runs/{run}/stop/").status_code == 200
    roll_all()
    assert states(administrator, run) == ["running", "left out"]
    ran(hosts[0], tools=[("cmake", "3.30")])
    assert ChoreRun.objects.get(pk=run).state == "stopped"


@pytest.mark.parametrize(
    ("body", "status"),
    [({"hosts": []}, 400), ({"hosts": ["absent"]}, 404), ({"terms": ["tol git"]}, 400), ({"terms": ["label x"]}, 400),
     ({"hosts": ["knot-80"], "terms": ["os linux"]}, 400)],
)  # fmt: skip
def test_a_wrong_choice_says_so(administrator, new_host, body, status):
    new_host("knot-80")
    assert start(administrator, keep(administrator).json()["id"], **body).status_code == status


def test_the_job_of_a_chore_is_no_way_to_run_its_script_again(administrator, operator, new_host):
    host = new_host("knot-80")
    begun(administrator, [host])
    ran(host, code=1)
    job = Attempt.objects.get().job_id
    refused = operator.post(f"/api/v1/jobs/{job}/run-again/", {}, format="json")
    assert (refused.status_code, "chore's own" in refused.json()["detail"]) == (409, True)


def test_only_administrators_run_chores(administrator, operator, viewer, shoreline, orchard, new_host):
    new_host("knot-80")
    chore = keep(administrator).json()["id"]
    assert keep(operator).status_code == 403
    assert start(operator, chore, hosts=["knot-80"]).status_code == 403
    mate = a_person("mate", Role.ADMINISTRATOR, orchard)
    assert start(mate, chore, hosts=["knot-80"]).status_code in (403, 404)
    assert viewer.get("/api/v1/chores/").status_code == 200


def test_of_a_run_everybody_sees_the_hosts_that_they_may_see(administrator, shoreline, orchard, new_host):
    hosts = [new_host("knot-80"), new_host("russet-80", orchard)]
    run = begun(administrator, hosts)
    mate = a_person("mate", Role.ADMINISTRATOR, orchard)
    sheet = mate.get(f"/api/v1/chore-runs/{run}/").json()
    assert ([one["host"] for one in sheet["hosts"]], sheet["counts"]) == (["russet-80"], {"waiting": 1})
    (row,) = mate.get("/api/v1/chore-runs/").json()["results"]
    assert row["counts"] == {"waiting": 1}
    assert mate.post(f"/api/v1/chore-runs/{run}/stop/").status_code == 403, "it goes over other paddocks too"
    alone = begun(administrator, [new_host("knot-81")])
    assert mate.get(f"/api/v1/chore-runs/{alone}/").status_code == 404

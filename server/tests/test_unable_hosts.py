"""Hosts whose agent has tried in vain what every job does first: they get no jobs until it succeeds."""

import pytest
from people import FACTS
from placing import called, submit

from paddock_agent import wire
from paddock_core.findings import Severity
from paddock_server.health.actions.greet import greet
from paddock_server.health.actions.note_trials import note_trials
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.health.reevaluation import dirty_hosts
from paddock_server.link.agents import _record
from paddock_server.logbook.models import Entry
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Job
from paddock_server.work.round import run_round

FULL = wire.FailedPart(
    "work folder",
    "No space left on device (ENOSPC): /srv/work",
    {"folder": "/srv/work", "nearest": "/srv/work", "mount": "/srv", "mount type": "ext4", "free": "0"},
)


def hello(**more):
    return wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[], **more)


def test_a_host_that_cannot_work_gets_no_job_and_all_places_say_why(operator, new_host):
    host = new_host()
    greet(host.pk, hello(cannot=[FULL]), "10.0.0.7")
    number = submit(operator).json()["id"]
    run_round()
    job = Job.objects.get(pk=number)
    assert (job.state, job.attempts.count()) == ("waiting", 0)
    assert f"{host.name} is unable to work (work folder: No space left on device" in job.reason
    shown = operator.get(f"/api/v1/hosts/{host.name}/").json()
    assert shown["readiness"] == "unable to work"
    (link,) = [one for one in shown["conditions"] if one["name"] == "Able to work"]
    assert (link["mark"], "No space left" in link["detail"]) == ("broken", True)
    why = operator.get(f"/api/v1/jobs/{number}/fit/").json()
    counted = {step["name"]: step["left"] for step in why["funnel"]}
    assert (counted["connected, not held"], counted["able to work now"]) == (1, 0)
    dirty_hosts().everything = True
    (finding,) = [one for one in SeenFleet().look(1e9) if one.code == "unable-to-work"]
    assert (finding.severity, finding.about) == (Severity.URGENT, "disk full")
    assert "/srv is full" in finding.sentence

    _record(host.pk, wire.WorkTried(cannot=[]))
    run_round()
    assert job.attempts.count() == 1
    host.refresh_from_db()
    assert (host.cannot, host.cannot_since) == ([], None)
    verbs = Entry.objects.filter(noun="host").values_list("verb", flat=True)
    assert {"found unable to work", "found able to work"} <= set(verbs)


def test_what_goes_on_failing_keeps_its_beginning_and_is_written_down_once(new_host):
    host = new_host()
    note_trials(host, [FULL])
    began = host.cannot_since
    note_trials(host, [FULL, wire.FailedPart("home", "Permission denied (EACCES): /home/x")])
    assert (host.cannot_since, len(host.cannot)) == (began, 2)
    assert Entry.objects.filter(verb="found unable to work").count() == 1


def test_an_agent_that_does_not_try_is_taken_at_its_word(operator, new_host):
    host = new_host()
    greet(host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[]), "10.0.0.7")
    submit(operator)
    run_round()
    assert Job.objects.get().state == "offered"


def test_a_refusal_by_the_host_costs_no_retry_and_the_job_goes_elsewhere(operator, new_host):
    first = new_host("avocet-01")
    number = submit(operator, retries=1).json()["id"]
    run_round()
    other = new_host("avocet-02")
    note_trials(first, [FULL])
    record_report(first, wire.AttemptRefused(attempt=called(number), why="This host cannot work now: work folder"))
    run_round()
    job = Job.objects.get(pk=number)
    assert (job.state, job.retries_left) == ("offered", 1)
    assert [one.host.name for one in job.attempts.order_by("number")] == ["avocet-01", other.name]


@pytest.mark.parametrize("shutdown", [False, True])
def test_only_the_managers_own_word_makes_a_shutdown(new_host, shutdown):
    from paddock_core.link_state import LinkEvent
    from paddock_server.health.actions.note_link import note_link

    host = new_host()
    note_link(host, LinkEvent.SHUTDOWN if shutdown else LinkEvent.GOODBYE)
    host.refresh_from_db()
    assert host.link == "stopped"
    assert ("shutting down" in host.link_cause) is shutdown

"""Work that needs hosts which sleep: chores, rollouts and surveys wake them, and they sleep again afterwards."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone
from people import a_person
from placing import submit
from sleeping import ask, connected, later, make_sleeper, now_asleep, power, seen

from paddock_core.link_state import LinkEvent
from paddock_server.chores.loop import roll_all
from paddock_server.hosts.models import Host
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role
from paddock_server.rollout.actions.roll_on import roll_on
from paddock_server.rollout.models import Rollout, RolloutHost
from paddock_server.standby import loop
from paddock_server.standby.actions.save_power import save_policy
from paddock_server.standby.models import Wake
from paddock_server.work.models import Job


@pytest.fixture
def sleeper(new_host, shoreline):
    host = make_sleeper(new_host, shoreline)
    now_asleep(host)
    save_policy(SERVER, "shoreline", {"mode": "by hand", "idle_seconds": 600})
    return host


def start_chore(client, *hosts):
    chore = client.post("/api/v1/chores/", {"name": "install cmake", "script": "true", "drain": False}, format="json")
    body = {"hosts": [host.name for host in hosts]}
    return client.post(f"/api/v1/chores/{chore.json()['id']}/start/", body, format="json").json()["id"]


def rows(client, run):
    return [(one["state"], one["detail"]) for one in client.get(f"/api/v1/chore-runs/{run}/").json()["hosts"]]


def wakes_up(host):
    seen(host, LinkEvent.HELLO)
    connected(host)


def test_a_chore_wakes_no_host_before_its_turn(sleeper, new_host, administrator):
    first = new_host("bramley-09", sleeper.paddock)
    run = start_chore(administrator, first, sleeper)
    roll_all()
    loop.decide_now()
    assert rows(administrator, run) == [("running", ""), ("waiting", "")]
    assert power(sleeper) == "asleep", "its turn has not come"


def test_a_chore_wakes_a_host_and_lets_it_sleep_again(sleeper, administrator, monkeypatch):
    run = start_chore(administrator, sleeper)
    roll_all()
    assert rows(administrator, run) == [("waiting", "It is being woken.")]
    loop.decide_now()
    assert (power(sleeper), Wake.objects.get().keeps) == ("waking", "The chore install cmake")
    assert "The chore install cmake needs it." in sleeper.power_cause
    wakes_up(sleeper)
    roll_all()
    assert rows(administrator, run) == [("running", "")]
    later(monkeypatch, 7200)
    loop.decide_now()
    assert power(sleeper) == "on", "the chore is not through"
    job = Job.objects.latest("pk")
    job.attempts.update(state="ended", ended_at=timezone.now())
    Job.objects.filter(pk=job.pk).update(state="failed")
    roll_all()
    administrator.post(f"/api/v1/chore-runs/{run}/stop/")
    later(monkeypatch, 1200)
    roll_all()
    assert rows(administrator, run)[0][0] == "failed"
    loop.decide_now()
    assert power(sleeper) == "going down", "though else only a person powers it down"


def test_a_host_that_does_not_wake_is_said_to_be_out_of_reach(sleeper, administrator):
    run = start_chore(administrator, sleeper)
    roll_all()
    loop.decide_now()
    loop.give_up_wake(Wake.objects.get())
    roll_all()
    assert rows(administrator, run) == [("could not reach", "Its agent is not connected.")]
    loop.decide_now()
    assert Wake.objects.count() == 1


def test_a_host_that_a_person_woke_stays_on(sleeper, operator, monkeypatch):
    ask(operator, sleeper, "wake")
    wakes_up(sleeper)
    later(monkeypatch, 9000)
    loop.decide_now()
    assert power(sleeper) == "on"


def test_a_rollout_wakes_a_host_and_takes_its_place(sleeper, new_host):
    other = new_host("bramley-09", sleeper.paddock)
    now = timezone.now()
    rollout = Rollout.objects.create(
        version="0.3.0", state="rolling", chosen_by="x", asked_by="x", asked_at=now, waves=["100%"],
        canaries=False, per_paddock=1,
    )  # fmt: skip
    first, second = (
        RolloutHost.objects.create(rollout=rollout, place=at, wave=1, host=host, version="0.3.0", before="0.2.0")
        for at, host in enumerate((sleeper, other))
    )
    for _ in range(2):
        roll_on(rollout)
        first.refresh_from_db()
        second.refresh_from_db()
        assert (first.step, first.detail, second.step) == ("waiting", "It is being woken.", "waiting")
    loop.decide_now()
    assert power(sleeper) == "waking"
    assert "Rollout" in sleeper.power_cause
    wakes_up(sleeper)
    roll_on(rollout)
    first.refresh_from_db()
    assert first.step == "installing"


def test_a_paused_rollout_wakes_nothing(sleeper):
    rollout = Rollout.objects.create(
        version="0.3.0", state="paused", chosen_by="x", asked_by="x", asked_at=timezone.now(), waves=["100%"]
    )
    RolloutHost.objects.create(rollout=rollout, place=0, wave=1, host=sleeper, version="0.3.0", wakes=True)
    loop.decide_now()
    assert power(sleeper) == "asleep"


def test_hosts_are_woken_to_be_surveyed(sleeper, new_host, operator, viewer):
    awake = new_host("bramley-09", sleeper.paddock)
    body = {"hosts": [sleeper.name, awake.name]}
    assert viewer.post("/api/v1/standby/wake/", body, format="json").status_code == 403
    assert operator.post("/api/v1/standby/wake/", body, format="json").json() == {"hosts": ["curlew-04"]}
    assert Wake.objects.get().returns
    again = operator.post("/api/v1/standby/wake/", body, format="json")
    assert (again.status_code, "asleep" in again.json()["detail"]) == (409, True)
    unknown = operator.post("/api/v1/standby/wake/", {"hosts": ["nobody-1"]}, format="json")
    assert unknown.status_code == 404
    refused = operator.post(f"/api/v1/hosts/{sleeper.name}/survey/")
    assert (refused.status_code, "Wake it" in refused.json()["detail"]) == (409, True)


@pytest.mark.parametrize(("wakers", "answers"), [("viewer", (200, 200)), ("administrator", (403, 403))])
def test_the_policy_says_who_may_wake(sleeper, operator, viewer, administrator, wakers, answers):
    save_policy(SERVER, "shoreline", {"mode": "by hand", "wakers": wakers})
    for client, expected in zip((viewer, operator), answers, strict=True):
        shown = client.get("/api/v1/hosts/curlew-04/power/").json()
        assert shown["may_change"] == (expected == 200)
        assert ask(client, sleeper, "wake").status_code == expected
        Host.objects.update(power="asleep")
        Wake.objects.all().delete()
    assert ask(administrator, sleeper, "wake").status_code == 200


def test_a_policy_that_keeps_more_hosts_than_there_are_is_said(sleeper, viewer, orchard):
    save_policy(SERVER, "shoreline", {"mode": "when jobs wait", "keep_awake": 3})
    loop.decide_now()
    assert viewer.get("/api/v1/standby/").json()["short"] == {"shoreline": 2}
    elsewhere = a_person("stranger", Role.VIEWER, orchard)
    assert elsewhere.get("/api/v1/standby/").json()["short"] == {}


def test_a_job_for_sleepers_that_it_may_not_use_wakes_none_and_says_why(sleeper, orchard, administrator, new_host):
    save_policy(SERVER, "shoreline", {"mode": "when jobs wait"})
    sleeper.paddock.pipelines = ["tide-*"]
    sleeper.paddock.save()
    new_host("bramley-09", orchard)
    job = submit(administrator, pipeline="almanac-docs", terms=["host curlew-04"]).json()["id"]
    loop.decide_now()
    assert power(sleeper) == "asleep"
    reason = administrator.get(f"/api/v1/jobs/{job}/").json()["reason"]
    assert "shoreline" in reason or "curlew-04" in reason


def test_a_server_that_restarts_while_a_host_boots_goes_on(sleeper, operator, monkeypatch):
    ask(operator, sleeper, "wake")
    later(monkeypatch, 20)
    ((row, chosen),) = loop.due_tries(timezone.now())
    loop.note_tried(row, loop.WAYS["by hand"].wake(loop.target_of(row, chosen)))
    # What a restart leaves is the database alone.
    loop.remember_orders()
    later(monkeypatch, 30)
    assert loop.due_tries(timezone.now()) == [], "it is not woken twice at the same time"
    wakes_up(sleeper)
    assert (power(sleeper), Wake.objects.get().worked) == ("on", True)
    assert sleeper.power_since - Wake.objects.get().at < timedelta(minutes=2)


def test_what_a_sleeper_has_counts_and_its_survey_says_how_old_it_is(sleeper, administrator):
    job = submit(administrator, terms=["tool git 2+"]).json()["id"]
    fit = administrator.get(f"/api/v1/jobs/{job}/fit/").json()
    (row,) = fit["hosts"]
    assert (row["host"], row["fits"], row["readiness"]) == ("curlew-04", True, "asleep")
    assert row["surveyed_at"] == administrator.get("/api/v1/hosts/curlew-04/").json()["surveyed_at"]
    assert administrator.get("/api/v1/toolchains/").json()["hosts"]["healthy"] == [True]

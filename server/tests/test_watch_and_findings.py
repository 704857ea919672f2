"""What the watch reports, what the rules then find, and what people do about it."""

from __future__ import annotations

import time
from datetime import timedelta

import msgspec
import pytest
from django.test import Client
from django.utils import timezone
from people import FACTS, a_person
from watch_reports import NO_ORDER, RUNNING, STOPPED, UNIT, report

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.changes import Signal
from paddock_server.errors import NotNow
from paddock_server.health import watches
from paddock_server.health.actions import save_findings as keep_findings_module
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.actions.note_services import note_services, note_tried
from paddock_server.health.actions.request_start import have_started
from paddock_server.health.actions.save_findings import save_findings
from paddock_server.health.actions.save_readings import save_readings
from paddock_server.health.models import Finding, Health, ServiceChange, WatchedService
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.health.reevaluation import dirty_hosts
from paddock_server.hosts.actions.make_watch_key import make_watch_key
from paddock_server.hosts.models import Host, Paddock
from paddock_server.logbook.models import Entry
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role
from paddock_server.process import vitals
from paddock_server.work.round import run_round

KEPT = msgspec.structs.replace(FACTS, kept_by=UNIT, boot="b1", agent_version="0.1.0")


def post(key, report):
    body = report if isinstance(report, bytes) else msgspec.json.encode(report)
    headers = {"authorization": f"Bearer {key}"}
    return Client().post("/agent/v1/watch", body, content_type="application/json", headers=headers)


@pytest.fixture
def host(new_host):
    return new_host("knot-01", facts=KEPT)


@pytest.fixture
def look():
    """Looks for findings once, and gives those that are open, by code."""
    dirty_hosts().everything = dirty_hosts().jobs_ended = True
    seen = SeenFleet()

    def once():
        dirty_hosts().everything = True
        save_findings(seen.look(time.time()))
        return {one.code: one for one in Finding.objects.filter(closed_at=None)}

    return once


def test_a_watch_key_is_given_for_the_agents_and_shown_once(host):
    answer = Client().post("/agent/v1/watch-key", headers={"authorization": f"Bearer {host.key}"})
    assert answer.status_code == 201
    given = msgspec.json.decode(answer.content, type=wire.WatchKey)
    assert given.every == 60
    assert post(given.key, report(host)).status_code == 200
    again = Client().post("/agent/v1/watch-key", headers={"authorization": f"Bearer {host.key}"})
    assert again.status_code == 201
    assert post(given.key, report(host)).status_code == 401, "the older key is dead"
    assert given.key not in str(list(Host.objects.values())) + str(list(Entry.objects.values()))
    assert Client().post("/agent/v1/watch-key", headers={"authorization": "Bearer x"}).status_code == 401


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"name": "curlew-01"}, "it reports on curlew-01, and its key is that of knot-01"),
        ({"at": 9e12}, "years away"),
        ({"at": float("inf")}, "not a watch report"),
        ({"uptime": -5.0}, "uptime"),
        ({"uptime": 1e300}, "uptime"),
        (
            {
                "state": msgspec.structs.replace
                if False
                else wire.ServiceState(UNIT, "linux", "running", restarts=10**9)
            },
            "restarts",
        ),
        ({"state": wire.ServiceState(UNIT, "windows", "running")}, "service of windows"),
    ],
)
def test_a_watch_that_lies_is_refused_and_found(host, look, more, says):
    key = make_watch_key(host)
    answer = post(key, report(host, **more))
    assert answer.status_code == 400
    assert says in answer.json()["detail"]
    assert not Health.objects.filter(host=host, reported_at__isnull=False).exists()
    if "not a watch report" not in says:
        assert look()["misbehaving"].about == "watch"


@pytest.mark.parametrize(
    "body", [b"", b"[]", b"{", b'{"host":"knot-01"}', b" " * 40_000, b'{"host":5,"at":"x","state":{}}']
)
def test_what_is_no_report_is_said(host, body):
    answer = post(make_watch_key(host), body)
    assert answer.status_code == 400
    assert "report" in answer.json()["detail"]


def test_what_a_host_says_is_cut_and_cleaned_before_people_read_it(host):
    nasty = "\x1b[31m<script>alert(1)</script>\n" * 12
    state = wire.ServiceState(UNIT, "linux", "failed", account=nasty, evidence=(nasty,) * 50, result=nasty)
    assert post(make_watch_key(host), report(host, state)).status_code == 200
    kept = Health.objects.get(host=host).report["state"]
    assert len(kept["evidence"]) == 10
    assert all(
        len(line) <= 300 and "\x1b" not in line and "\n" not in line for line in [*kept["evidence"], kept["account"]]
    )


def test_from_trouble_to_remedy(host, look, administrator):
    key = make_watch_key(host)
    assert look() == {}
    note_link(host, LinkEvent.GOODBYE)
    assert set(look()) == {"agent-stopped"}
    post(key, report(host, STOPPED))
    assert set(look()) == {"service-stopped"}
    (shown,) = administrator.get("/api/v1/findings/").json()["findings"]
    assert (shown["severity"], shown["hosts"], shown["paddock"]) == ("urgent", ["knot-01"], "shoreline")
    assert shown["remedy"]["commands"][0] == "paddock-agent service start"
    plate = administrator.get("/api/v1/yard/").json()["paddocks"][0]["hosts"][0]
    assert (plate["findings"], plate["worst"]) == (1, "urgent")
    sheet = administrator.get("/api/v1/hosts/knot-01/").json()
    assert {"name": "Service running", "mark": "broken", "detail": "The service was stopped."} in sheet["conditions"]
    assert sheet["watch"]["running"] == "stopped"
    post(key, report(host, RUNNING))
    note_link(host, LinkEvent.HELLO)
    assert look() == {}
    closed = administrator.get("/api/v1/findings/?closed=true").json()["findings"]
    assert {one["code"] for one in closed} == {"agent-stopped", "service-stopped"}
    verbs = Entry.objects.filter(noun="finding").values_list("verb", flat=True)
    assert sorted(verbs) == ["found", "found", "saw the end of", "saw the end of"]
    states = ServiceChange.objects.filter(host=host).values_list("state", flat=True)
    assert list(states) == ["stopped", "running"]


def test_reports_that_say_nothing_new_are_only_heard(host, look, django_assert_max_num_queries):
    key = make_watch_key(host)
    post(key, report(host))
    first = Health.objects.get(host=host).reported_at
    with django_assert_max_num_queries(1):
        assert post(key, report(host, uptime=960.0)).status_code == 200
    assert Health.objects.get(host=host).reported_at == first
    heard = watches.unwritten()
    assert list(heard) == [host.pk]
    save_readings({}, heard)
    assert Health.objects.get(host=host).reported_at > first
    post(key, report(host, boot="b2"))
    assert Health.objects.get(host=host).report["boot"] == "b2", "what is new is written at once"


def test_a_finding_that_stays_is_written_once(host, look):
    note_link(host, LinkEvent.GOODBYE)
    first = look()["agent-stopped"]
    for _ in range(3):
        assert look()["agent-stopped"].pk == first.pk
    assert Entry.objects.filter(verb="found").count() == 1


def test_putting_findings_aside(host, look, administrator, operator, viewer):
    note_link(host, LinkEvent.GOODBYE)
    path = f"/api/v1/findings/{look()['agent-stopped'].pk}"
    assert viewer.post(f"{path}/acknowledge/").status_code == 403
    done = operator.post(f"{path}/acknowledge/", {"note": "new disk comes on Thursday"}, format="json").json()
    assert (done["aside"], done["acknowledged_by"], done["note"]) == (True, "deckhand", "new disk comes on Thursday")
    assert administrator.get("/api/v1/yard/").json()["paddocks"][0]["hosts"][0]["findings"] == 0
    assert operator.post(f"{path}/reopen/").json()["aside"] is False
    until = timezone.now() + timedelta(hours=1)
    assert operator.post(f"{path}/snooze/", {"until": until.isoformat()}, format="json").json()["aside"] is True
    Finding.objects.update(snoozed_until=timezone.now() - timedelta(seconds=1))
    assert administrator.get(f"{path}/").json()["aside"] is False, "it comes back by itself"
    for wrong in (timezone.now() - timedelta(hours=1), timezone.now() + timedelta(days=400)):
        answer = operator.post(f"{path}/snooze/", {"until": wrong.isoformat()}, format="json")
        assert (answer.status_code, "within the next 90 days" in answer.json()["detail"]) == (400, True)
    note_link(host, LinkEvent.HELLO)
    look()
    late = operator.post(f"{path}/acknowledge/")
    assert (late.status_code, "closed by itself" in late.json()["detail"]) == (409, True)


def test_findings_stay_inside_the_fence(host, look, new_host, orchard):
    other = new_host("bramley-01", orchard)
    for one in (host, other):
        note_link(one, LinkEvent.GOODBYE)
    look()
    loop = a_person("loop", Role.OPERATOR, orchard)
    assert [one["hosts"] for one in loop.get("/api/v1/findings/").json()["findings"]] == [["bramley-01"]]
    mine, theirs = (Finding.objects.get(hosts=[name]) for name in ("bramley-01", "knot-01"))
    assert loop.post(f"/api/v1/findings/{mine.pk}/acknowledge/").status_code == 200
    assert loop.post(f"/api/v1/findings/{theirs.pk}/acknowledge/").status_code == 404
    assert loop.get("/api/v1/watch/").json()["hosts"][0]["name"] == "bramley-01"


def test_the_watch_may_start_only_where_the_fence_lets_it(host, operator, administrator, look):
    key = make_watch_key(host)
    note_link(host, LinkEvent.GOODBYE)
    assert post(key, report(host, STOPPED)).json() == {
        "start": False,
        "asked": False,
        "examine": True,
        "upgrade": 0,
        **NO_ORDER,
    }
    refused = operator.post(f"/api/v1/findings/{look()['service-stopped'].pk}/act/")
    assert (refused.status_code, "nothing that the server could do" in refused.json()["detail"]) == (409, True)
    with pytest.raises(NotNow, match="does not let watches start"):
        have_started(SERVER, Host.objects.select_related("paddock").get())
    administrator.patch("/api/v1/paddocks/shoreline/", {"watch_may_start": True}, format="json")
    assert post(key, report(host, STOPPED)).json() == {
        "start": True,
        "asked": False,
        "examine": True,
        "upgrade": 0,
        **NO_ORDER,
    }
    assert operator.post(f"/api/v1/findings/{look()['service-stopped'].pk}/act/").status_code == 202
    assert post(key, report(host, STOPPED)).json() == {
        "start": True,
        "asked": True,
        "examine": True,
        "upgrade": 0,
        **NO_ORDER,
    }
    assert post(key, report(host, STOPPED)).json()["asked"] is False, "asked once, reported once"
    post(key, report(host, RUNNING, started=True))
    assert Entry.objects.filter(who="the watch of knot-01", verb="started").count() == 1
    note_link(host, LinkEvent.HELLO)
    assert post(key, report(host, STOPPED)).json()["start"] is False, "a connected agent needs no start"


def test_watched_services_decide_where_jobs_go(host, administrator, operator, look):
    administrator.patch("/api/v1/paddocks/shoreline/", {"services": ["Tide-DB"]}, format="json")
    host.refresh_from_db()
    Paddock.objects.get().refresh_from_db()
    host = Host.objects.select_related("paddock").get()
    note_services(
        host, wire.WatchedServices(states=[wire.WatchedState("tide-db", "stopped"), wire.WatchedState("x", "running")])
    )
    assert [one.name for one in WatchedService.objects.all()] == ["tide-db"]
    assert look()["watched-service-down"].about == "tide-db"
    job = {"name": "chart", "pipeline": "almanac-docs", "terms": ["service tide-db running"], "script": "true"}
    number = operator.post("/api/v1/jobs/", job, format="json").json()["id"]
    run_round()
    assert "it is stopped" in operator.get(f"/api/v1/jobs/{number}/").json()["reason"]
    note_services(host, wire.WatchedServices(states=[wire.WatchedState("tide-db", "running")]))
    run_round()
    assert operator.get(f"/api/v1/jobs/{number}/").json()["state"] == "offered"
    assert look() == {}
    note_tried(host, wire.ServiceTried(name="tide-db", verb="stop", why="no right", remedy=["let it"]))
    (shown,) = administrator.get("/api/v1/hosts/knot-01/").json()["watched"]
    assert (shown["tried"]["why"], shown["tried"]["remedy"]) == ("no right", ["let it"])
    assert (
        operator.post("/api/v1/hosts/knot-01/service/", {"name": "sshd", "verb": "stop"}, format="json").status_code
        == 404
    )
    wrong = administrator.patch("/api/v1/paddocks/shoreline/", {"services": ["two words"]}, format="json")
    assert (wrong.status_code, "not the name of a service" in wrong.json()["detail"]) == (400, True)
    administrator.patch("/api/v1/paddocks/shoreline/", {"services": []}, format="json")
    host = Host.objects.select_related("paddock").get()
    note_services(host, wire.WatchedServices(states=[]))
    assert not WatchedService.objects.exists()


def test_acting_on_a_finding_asks_for_the_same_role_as_the_act(host, viewer, operator, look):
    facts = {**host.facts, "differs": [{"name": "PATH", "now": "", "fresh": "/opt/new"}]}
    Host.objects.filter(pk=host.pk).update(facts=facts)
    path = f"/api/v1/findings/{look()['environment-old'].pk}/act/"
    assert viewer.post(path).status_code == 403
    assert operator.post(path).status_code == 202
    assert Entry.objects.filter(verb="restarted the agent of", who="deckhand").exists()


def test_readings_that_cannot_be_are_left_out(host):
    beat = wire.Heartbeat(at=time.time() + 90, load=-3.0, memory_free=1e300, disk_free=5e9)
    assert set(vitals.record(host.pk, beat)) == {"load", "memory_free"}
    assert vitals.of(host.pk).median("disk_free") == 5e9
    assert vitals.of(host.pk).median("clock") == pytest.approx(90, abs=5)


def test_one_wild_reading_finds_nothing_and_several_do(host, look):
    for i in range(8):
        vitals.record(host.pk, wire.Heartbeat(at=time.time() + (5000 if i == 3 else 0), disk_free=9e10))
    assert look() == {}
    for _ in range(12):
        vitals.record(host.pk, wire.Heartbeat(at=time.time() - 500, disk_free=1e8))
    assert set(look()) == {"clock-off", "disk-full"}


def test_a_reading_that_moves_is_followed_until_its_median_has(host):
    """A host about which nothing else changes is looked at as long as what is read differs from what was found."""
    dirty_hosts().everything = True
    seen = SeenFleet()
    for _ in range(12):
        vitals.record(host.pk, wire.Heartbeat(at=time.time(), disk_free=9e10))
    assert seen.look(time.time()) == []
    assert not vitals.of(host.pk).has_moved
    found = []
    for _ in range(8):
        vitals.record(host.pk, wire.Heartbeat(at=time.time(), disk_free=1e8))
        found.append([one.code for one in seen.look(time.time())])
    assert found[0] == [], "one wild reading finds nothing"
    assert found[-1] == ["disk-full"]


def test_the_opening_and_the_end_of_a_finding_are_both_announced(host, look, monkeypatch):
    announced = []
    hear = Signal()
    hear.subscribe(lambda change: announced.append((change.finding.code, change.event)))
    monkeypatch.setattr(keep_findings_module, "finding_changed", hear)
    key = make_watch_key(host)
    note_link(host, LinkEvent.GOODBYE)
    post(key, report(host, STOPPED))
    assert "service-stopped" in look()
    note_link(host, LinkEvent.HELLO)
    post(key, report(host, RUNNING))
    assert "service-stopped" not in look()
    assert [event for code, event in announced if code == "service-stopped"] == ["opened", "closed"]

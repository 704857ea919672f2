"""The gate and the fence: what is odd about a newcomer, deciding on many, passes that are replaced or admit at once."""

import hashlib
from datetime import timedelta

import msgspec
import pytest
from django.test import Client
from django.utils import timezone
from people import FACTS

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.health.actions.note_caller import note_caller
from paddock_server.health.actions.note_link import note_link
from paddock_server.hosts.actions.admit import admit
from paddock_server.hosts.actions.retire import leave
from paddock_server.hosts.models import UNDO_DAYS, Host
from paddock_server.hosts.queries import host_with_key
from paddock_server.logbook.models import Entry
from paddock_server.people.actor import SERVER
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt
from paddock_server.work.round import run_round


def facts(machine):
    return msgspec.structs.replace(FACTS, machine=machine)


def oddities(client, name):
    return [one["oddity"] for one in client.get(f"/api/v1/hosts/{name}/").json()["suspicions"]]


def test_odd_newcomers_are_pointed_out(administrator, new_host, shoreline):
    new_host("avocet-01", facts=facts("m1"))
    new_host("curlew-01", facts=facts("m2"), standing=Host.Standing.TURNED_AWAY, key_digest=None)
    new_host("avocet-02", facts=facts("m1"), admitted=False)
    new_host("Curlew-01", facts=facts("m3"), admitted=False)
    new_host("dunlin-01", facts=facts("m4"), admitted=False)
    assert oddities(administrator, "avocet-01") == []
    assert oddities(administrator, "avocet-02") == ["same machine twice"]
    assert oddities(administrator, "curlew-01") == ["name of an earlier host"]
    assert oddities(administrator, "dunlin-01") == []
    administrator.patch("/api/v1/paddocks/shoreline/", {"networks": ["192.168.7.0/24"]}, format="json")
    assert oddities(administrator, "dunlin-01") == ["outside the paddock's networks"]
    listed = {one["name"]: one["suspicions"] for one in administrator.get("/api/v1/hosts/").json()["results"]}
    assert {name for name, found in listed.items() if found} == {"avocet-02", "Curlew-01", "dunlin-01"}


def test_the_gate_shows_who_made_the_pass_and_from_where(administrator, shoreline):
    body = {"paddock": "shoreline", "name": "autumn batch"}
    secret = administrator.post("/api/v1/passes/", body, format="json").json()["secret"]
    asked = wire.JoinRequest(secret, FACTS, "dunlin-01")
    Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")
    host = administrator.get("/api/v1/hosts/dunlin-01/").json()
    assert (host["joined_with"], host["joined_by"], host["address"]) == ("autumn batch", "harbourmaster", "127.0.0.1")


def test_deciding_on_many_at_once(administrator, operator, new_host):
    for name in ("dunlin-01", "dunlin-02", "dunlin-03"):
        new_host(name, admitted=False)
    body = {"names": ["dunlin-01", "dunlin-02", "nobody", "dunlin-01"], "reason": "the autumn batch"}
    answer = administrator.post("/api/v1/gate/admit/", body, format="json").json()
    assert answer["decided"] == ["dunlin-01", "dunlin-02"]
    assert "No host called nobody" in answer["refused"]["nobody"]
    assert [one.details for one in Entry.objects.filter(verb="admitted")] == [{"reason": "the autumn batch"}] * 2
    body = {"names": ["dunlin-02", "dunlin-03"]}
    answer = administrator.post("/api/v1/gate/turn-away/", body, format="json").json()
    assert answer["decided"] == ["dunlin-03"]
    assert "held instead" in answer["refused"]["dunlin-02"]
    answer = operator.post("/api/v1/gate/admit/", {"names": ["dunlin-01"]}, format="json").json()
    assert "role administrator" in answer["refused"]["dunlin-01"]
    assert administrator.post("/api/v1/gate/wave/", body, format="json").status_code == 404


@pytest.mark.parametrize(
    ("networks", "standing"), [([], "admitted"), (["127.0.0.0/8"], "admitted"), (["10.0.0.0/8"], "at the gate")]
)
def test_a_paddock_may_admit_pass_holders_at_once_from_inside_its_networks(
    administrator, shoreline, networks, standing
):
    fence = {"admits_at_once": True, "networks": networks}
    assert administrator.patch("/api/v1/paddocks/shoreline/", fence, format="json").json()["admits_at_once"] is True
    body = {"paddock": "shoreline", "name": "batch"}
    secret = administrator.post("/api/v1/passes/", body, format="json").json()["secret"]
    asked = wire.JoinRequest(secret, FACTS, "dunlin-01")
    answer = Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")
    assert answer.json()["admitted"] is (standing == "admitted")
    host = Host.objects.get()
    assert host.standing == standing
    assert host.decided_by == ("the fence of shoreline" if standing == "admitted" else "")


def test_retiring_and_leaving_free_the_name_and_kill_the_key(administrator, operator, new_host):
    host = new_host("avocet-01")
    gate = new_host("curlew-01", admitted=False)
    assert operator.post("/api/v1/hosts/avocet-01/retire/").status_code == 403
    assert administrator.post("/api/v1/hosts/curlew-01/retire/").status_code == 409
    operator.post("/api/v1/jobs/", {"name": "n", "pipeline": "p", "terms": [], "script": "true"}, format="json")
    run_round()
    no_reason = administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "  "}, format="json")
    assert (no_reason.status_code, no_reason.json()["errors"][0]["pointer"]) == (400, "/reason")
    busy = administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "old"}, format="json")
    assert (busy.status_code, "is at work" in busy.json()["detail"]) == (409, True)
    record_report(host, wire.AttemptEnded(attempt=Attempt.objects.get().wire_name, outcome="exited", exit_code=0))
    assert administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "old"}, format="json").status_code == 204
    assert host_with_key(host.key) is None
    kept = administrator.get("/api/v1/hosts/avocet-01/").json()
    assert (kept["standing"], kept["retired_because"], kept["decided_by"]) == ("retired", "old", "harbourmaster")
    assert "avocet-01" not in [one["name"] for one in administrator.get("/api/v1/hosts/").json()["results"]]
    found = administrator.get("/api/v1/hosts/?standing=retired").json()["results"]
    assert [one["name"] for one in found] == ["avocet-01"]
    for part in ("history", "week", "readings", "work", "folders"):
        assert administrator.get(f"/api/v1/hosts/avocet-01/{part}/").status_code == 200, part
    assert administrator.post("/api/v1/hosts/avocet-01/hold/", {"reason": "x"}, format="json").status_code == 404
    new_host("avocet-01")

    farewell = {"Authorization": f"Bearer {gate.key}"}
    assert Client().post("/agent/v1/leave", headers=farewell).status_code == 204
    again = Client().post("/agent/v1/leave", headers=farewell)
    assert (again.status_code, again.headers["Content-Type"]) == (401, "application/problem+json")
    assert Entry.objects.filter(verb="left with", thing="curlew-01").exists()


def test_the_package_index_serves_what_was_gathered_and_nothing_else(settings, tmp_path):
    settings.WHEELS = tmp_path
    assert Client().get("/install/paddock.sh").status_code == 503
    (tmp_path / "yellow_paddock_agent-9.1-py3-none-any.whl").write_bytes(b"agent")
    (tmp_path / "secret.txt").write_text("no")
    script = Client().get("/install/paddock.sh").content.decode()
    assert "PADDOCK_SERVER='http://testserver'\nPADDOCK_VERSION='9.1'\n" in script
    digest = hashlib.sha256(b"agent").hexdigest()
    assert f"#sha256={digest}" in Client().get("/install/simple/yellow_paddock.AGENT/").content.decode()
    as_json = {"Accept": "application/vnd.pypi.simple.v1+json"}
    (file,) = Client().get("/install/simple/yellow-paddock-agent/", headers=as_json).json()["files"]
    assert file["hashes"] == {"sha256": digest}
    assert Client().get(file["url"]).content == b"agent"
    for path in ("files/secret.txt", "files/..%2Fsecret.txt", "simple/none/", "other"):
        assert Client().get(f"/install/{path}").status_code == 404


def test_a_fence_that_makes_no_sense_is_said(administrator, operator, shoreline):
    answer = administrator.patch("/api/v1/paddocks/shoreline/", {"networks": ["10.0.0.0/99"]}, format="json")
    assert answer.status_code == 400
    assert '"10.0.0.0/99" is not a network. Examples:' in answer.json()["detail"]
    assert operator.patch("/api/v1/paddocks/shoreline/", {"networks": ["10.0.0.1"]}, format="json").status_code == 403


def test_a_pass_is_replaced_by_one_of_its_kind(administrator, viewer, shoreline):
    body = {"paddock": "shoreline", "name": "batch", "uses": 7, "hours": 48, "labels": ["bench-rig"], "slots": 3}
    old = administrator.post("/api/v1/passes/", body, format="json").json()
    assert viewer.post(f"/api/v1/passes/{old['id']}/replace/").status_code == 403
    new = administrator.post(f"/api/v1/passes/{old['id']}/replace/").json()
    assert new["secret"] != old["secret"]
    for same in ("name", "uses", "labels", "slots", "paddock"):
        assert new[same] == old[same]
    passes = {one["id"]: one for one in administrator.get("/api/v1/passes/").json()["results"]}
    assert passes[old["id"]]["revoked_at"]
    assert passes[new["id"]]["revoked_at"] is None
    assert administrator.post(f"/api/v1/passes/{old['id']}/replace/").status_code == 201


def test_a_clone_is_turned_off_while_the_right_machine_is_connected_and_noted_when_it_is_not(administrator, new_host):
    host = new_host("avocet-01", facts=facts("m1"))
    assert note_caller(host.pk, "m1", "10.0.0.7", is_connected=True) == ""
    assert "copy of its key" in note_caller(host.pk, "", "10.0.0.7", is_connected=True), "it hides which machine it is"
    assert "copy of its key" in note_caller(host.pk, "m2", "10.0.0.8", is_connected=True)
    assert Entry.objects.filter(verb="turned off a clone of").count() == 2
    assert oddities(administrator, "avocet-01") == []
    for _ in range(2):
        assert note_caller(host.pk, "m2", "10.0.0.8", is_connected=False) == ""
    assert oddities(administrator, "avocet-01") == ["another machine than the one that joined"]
    assert Entry.objects.filter(verb="noted another machine at").count() == 1
    note_caller(host.pk, "m1", "10.0.0.7", is_connected=False)
    assert oddities(administrator, "avocet-01") == []


JOINED = facts("m1")


def join_with(administrator, pass_gives, asks, **fence):
    administrator.patch("/api/v1/paddocks/shoreline/", fence, format="json")
    body = {"paddock": "shoreline", "name": "batch", **pass_gives}
    secret = administrator.post("/api/v1/passes/", body, format="json").json()["secret"]
    asked = wire.JoinRequest(secret, JOINED, "dunlin-01", **asks)
    answer = Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")
    assert answer.status_code == 201, answer.content
    return administrator.get("/api/v1/hosts/dunlin-01/").json()


@pytest.mark.parametrize("at_once", [False, True])
def test_what_a_machine_says_of_itself_gives_it_nothing(administrator, shoreline, at_once):
    asks = {"labels": ["release-signing", "bench-rig", "Bench-Rig"], "slots": 900}
    host = join_with(administrator, {"labels": ["bench-rig"], "slots": 2}, asks, admits_at_once=at_once)
    assert (host["labels"], host["slots"]) == (["bench-rig"], 2)
    assert (host["asked_labels"], host["asked_slots"]) == (["release-signing"], 900)
    assert host["standing"] == ("admitted" if at_once else "at the gate")


@pytest.mark.parametrize(("gives", "asks", "slots"), [(4, 3, 3), (4, 4, 4), (4, 5, 4), (0, 0, 4), (0, 1, 1), (0, 9, 4)])
def test_fewer_slots_than_a_pass_gives_are_a_machines_own_choice(administrator, shoreline, gives, asks, slots):
    host = join_with(administrator, {"slots": gives}, {"slots": asks})
    assert (host["slots"], host["asked_slots"]) == (slots, asks if asks > slots else 0)


def test_a_machine_that_boasts_of_its_size_gets_no_slots_for_that(administrator, shoreline, monkeypatch):
    boast = msgspec.structs.replace(JOINED, cores=2**52, memory=2**52)
    monkeypatch.setitem(globals(), "JOINED", boast)
    assert join_with(administrator, {}, {})["slots"] == 64


def test_an_administrator_gives_what_was_asked_for_or_not(administrator, shoreline):
    host = join_with(administrator, {"labels": ["bench-rig"]}, {"labels": ["chart-plotter"], "slots": 7})
    admitted = administrator.post(f"/api/v1/hosts/{host['name']}/admit/", {"as_asked": True}, format="json").json()
    assert (admitted["labels"], admitted["slots"]) == (["bench-rig", "chart-plotter"], 7)
    assert (admitted["asked_labels"], admitted["asked_slots"]) == ([], 0)
    assert Entry.objects.get(verb="admitted").details == {"labels": ["chart-plotter"], "slots": 7}


def test_a_label_that_no_term_could_name_is_refused_at_joining(administrator, shoreline):
    body = {"paddock": "shoreline", "name": "batch"}
    secret = administrator.post("/api/v1/passes/", body, format="json").json()["secret"]
    asked = wire.JoinRequest(secret, JOINED, "dunlin-01", labels=["<b>"])
    answer = Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")
    assert answer.status_code == 400


def test_a_retirement_can_be_undone_for_a_week(administrator, operator, new_host):
    host = new_host("avocet-01")
    assert administrator.post("/api/v1/hosts/avocet-01/undo-retirement/").status_code == 409
    administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "old"}, format="json")
    assert operator.post("/api/v1/hosts/avocet-01/undo-retirement/").status_code == 403
    assert host_with_key(host.key) is None
    back = administrator.post("/api/v1/hosts/avocet-01/undo-retirement/").json()
    assert (back["standing"], back["undo_until"], back["retired_because"]) == ("admitted", None, "")
    assert host_with_key(host.key) == host, "its agent gets in with the key that it has"

    administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "old"}, format="json")
    edge = timezone.now() - timedelta(days=UNDO_DAYS)
    for decided_at, status in ((edge - timedelta(seconds=5), 409), (edge + timedelta(minutes=1), 200)):
        Host.objects.filter(pk=host.pk).update(decided_at=decided_at)
        assert administrator.post("/api/v1/hosts/avocet-01/undo-retirement/").status_code == status

    administrator.post("/api/v1/hosts/avocet-01/retire/", {"reason": "old"}, format="json")
    new_host("Avocet-01")
    taken = administrator.post("/api/v1/hosts/avocet-01/undo-retirement/")
    assert taken.status_code == 409, "the living host of this name is the one that is meant"


def test_a_host_whose_agent_has_left_is_brought_in_again(administrator, new_host):
    host = new_host("avocet-01")
    leave(host)
    answer = administrator.post("/api/v1/hosts/avocet-01/undo-retirement/")
    assert (answer.status_code, "Bring the host in again" in answer.json()["detail"]) == (409, True)


def test_a_host_that_connects_while_it_is_admitted_stays_connected(new_host):
    new_host("avocet-01", admitted=False, connected=False)
    as_read_before = Host.objects.select_related("paddock").get(name="avocet-01")
    note_link(Host.objects.select_related("paddock").get(name="avocet-01"), LinkEvent.HELLO)
    admit(SERVER, as_read_before)
    host = Host.objects.get(name="avocet-01")
    assert (host.link, host.standing) == ("connected", "admitted")

"""Rollouts through the API: what they refuse, the orders that hosts get, the proof that the server wants to see, and
their ends."""

from __future__ import annotations

import json
from datetime import timedelta

import msgspec
import pytest
from agent_versions import WHEELS, make_version, own_version
from django.test import Client
from django.utils import timezone
from nacl.signing import VerifyKey
from people import FACTS, a_person
from watch_reports import report

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.cli import main
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.models import Finding, Health
from paddock_server.hosts.actions.make_watch_key import make_watch_key
from paddock_server.hosts.models import Host
from paddock_server.install.versions import held_versions, keep_versions
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.rollout.actions.follow import follow_versions
from paddock_server.rollout.actions.record_upgrade import record_upgrade
from paddock_server.rollout.loop import remember_orders, roll_all
from paddock_server.rollout.models import Rollout, RolloutHost
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.toolchains.catalogue import public_key
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt, Job

OLD, NEW = own_version(), "0.3.0"
KEPT = msgspec.structs.replace(FACTS, kept_by="paddock-agent.service", agent_version=OLD, python="3.12.4")


@pytest.fixture(autouse=True)
def wheels(settings, tmp_path):
    """All packages for hosts, and a newer agent."""
    folder = tmp_path / "wheels"
    folder.mkdir()
    for file in WHEELS.glob("*.whl"):
        (folder / file.name).symlink_to(file)
    settings.WHEELS, settings.DATA = folder, tmp_path
    make_version(folder, NEW)
    return folder


@pytest.fixture
def fleet(new_host):
    """Makes hosts whose watches can upgrade them."""

    def make(*names, facts=KEPT, paddock=None):
        made = []
        for name in names:
            host = new_host(name, facts=facts, **({"paddock": paddock} if paddock else {}))
            told = msgspec.to_builtins(report(host, upgrades=True))
            Health.objects.update_or_create(host=host, defaults={"report": told, "reported_at": timezone.now()})
            made.append(host)
        return made

    return make


def start(client, *hosts, **more):
    body = {"hosts": [host.name for host in hosts], "canaries": False, **more}
    return client.post("/api/v1/rollouts/", body, format="json")


def started(client, *hosts, **more):
    answer = start(client, *hosts, **more)
    assert answer.status_code == 201, answer.json()
    roll_all()
    return answer.json()["id"]


def sheet(client, rollout):
    return client.get(f"/api/v1/rollouts/{rollout}/").json()


def steps(client, rollout):
    return {one["host"]: one["step"] for one in sheet(client, rollout)["hosts"]}


def tell(host, step, order=None, **more):
    """The host's upgrade reports, with the key of its watch."""
    key = make_watch_key(Host.objects.select_related("paddock").get(pk=host.pk))
    number = order or RolloutHost.objects.filter(host=host).latest("pk").pk
    body = json.dumps({"order": number, "step": step, **more})
    return Client().post(
        "/agent/v1/upgrade", body, content_type="application/json", headers={"authorization": f"Bearer {key}"}
    )


def comes_back(host, version=NEW):
    """The agent connects again with this version, and surveys."""
    host.refresh_from_db()
    host.facts = {**host.facts, "agent_version": version}
    host.save()
    note_link(host, LinkEvent.GOODBYE)
    note_link(host, LinkEvent.HELLO)
    record_survey(host, wire.SurveyReport(facts=msgspec.structs.replace(KEPT, agent_version=version), installations=[]))


def proof_ends(host, code=0):
    attempt = Attempt.objects.filter(host=host).latest("pk")
    record_report(host, wire.AttemptStarted(attempt=attempt.wire_name, account="build", folder="/work"))
    record_report(host, wire.AttemptEnded(attempt=attempt.wire_name, outcome="exited", exit_code=code))


def proves(host):
    for step in ("asked", "installing", "draining", "switched"):
        assert tell(host, step).status_code == 200
    comes_back(host)
    roll_all()
    proof_ends(host)
    roll_all()


def test_a_host_is_proven_once_it_has_connected_surveyed_and_run_a_job(administrator, fleet):
    (host,) = fleet("knot-01")
    rollout = started(administrator, host)
    assert steps(administrator, rollout) == {"knot-01": "installing"}
    tell(host, "draining")
    host.refresh_from_db()
    assert (host.holding, host.hold_reason) == ("held", f"upgrade to {NEW} (rollout {rollout})")
    assert tell(host, "switched").json() == {}
    roll_all()
    assert not Job.objects.exists(), "the old agent is still the one that is known"
    comes_back(host)
    roll_all()
    assert tell(host, "switched").json() == {}
    assert steps(administrator, rollout) == {"knot-01": "switched"}
    proof_ends(host)
    roll_all()
    assert steps(administrator, rollout) == {"knot-01": "proven"}
    assert tell(host, "switched").json() == tell(host, "proven").json() == {"proven": True}
    host.refresh_from_db()
    assert host.holding == ""
    assert sheet(administrator, rollout)["state"] == "ended"
    assert Entry.objects.filter(verb="found the upgrade proven on", thing="knot-01").exists()


def test_an_order_is_signed_and_names_every_file_with_its_hash(administrator, fleet):
    (host,) = fleet("knot-01")
    started(administrator, host)
    answer = tell(host, "asked").json()
    VerifyKey(bytes.fromhex(public_key())).verify(
        b"yellow paddock upgrade\n" + answer["order"].encode(), bytes.fromhex(answer["signature"])
    )
    order = json.loads(answer["order"])
    assert (order["host"], order["version"]) == ("knot-01", NEW)
    names = {name for name, _, _ in order["packages"]}
    assert names >= {"yellow-paddock-agent", "msgspec", "websockets", "pynacl", "cffi"}
    assert "pywin32" not in names
    assert all(len(sha256) == 64 for _, _, hashes in order["packages"] for sha256 in hashes)


def test_a_proof_that_fails_sends_the_host_back_with_the_reason(administrator, fleet):
    (host,) = fleet("knot-01")
    rollout = started(administrator, host)
    tell(host, "draining")
    tell(host, "switched")
    comes_back(host)
    roll_all()
    proof_ends(host, code=3)
    roll_all()
    answer = tell(host, "switched").json()
    assert "failed" in answer["go_back"]
    tell(host, "went back", why=answer["go_back"], evidence=["a line\x1b[31m of its log"])
    (row,) = sheet(administrator, rollout)["hosts"]
    assert (row["step"], row["evidence"]) == ("went back", ["a line [31m of its log"])
    host.refresh_from_db()
    assert (host.holding, host.health.refused_versions[0]["version"]) == ("", NEW)


def test_a_proof_that_is_lost_is_tried_again(administrator, fleet):
    (host,) = fleet("knot-01")
    rollout = started(administrator, host)
    tell(host, "draining")
    tell(host, "switched")
    comes_back(host)
    roll_all()
    Job.objects.update(state="lost")
    assert tell(host, "switched").json() == {}
    roll_all()
    assert Job.objects.count() == 2
    proof_ends(host)
    roll_all()
    assert steps(administrator, rollout) == {"knot-01": "proven"}


def test_a_host_that_is_retired_in_the_middle_ends_its_part(administrator, fleet):
    host, waiting = fleet("knot-01", "knot-02")
    rollout = started(administrator, host, waiting, per_paddock=1)
    for one in (host, waiting):
        administrator.post(f"/api/v1/hosts/{one.name}/retire/", {"reason": "sold"}, format="json")
    roll_all()
    assert [one["detail"] for one in sheet(administrator, rollout)["hosts"]] == ["It is retired."] * 2
    assert sheet(administrator, rollout)["state"] == "ended"


def test_what_a_host_claims_is_not_believed(administrator, fleet):
    host, other = fleet("knot-01", "knot-02")
    rollout = started(administrator, host)
    claimed = tell(host, "proven")
    assert (claimed.status_code, "has not seen" in claimed.json()["detail"]) == (400, True)
    assert "rejected_report" in Health.objects.get(host=host).anomalies
    assert steps(administrator, rollout) == {"knot-01": "installing"}
    order = RolloutHost.objects.get().pk
    assert tell(other, "switched", order=order).status_code == 400, "an order of another host"
    assert tell(host, "half way").status_code == 400
    assert tell(host, "switched", order=2**60).status_code == 400
    nobody = Client().post("/agent/v1/upgrade", b"{}", content_type="application/json")
    assert nobody.status_code == 401
    key = make_watch_key(host)
    long = Client().post(
        "/agent/v1/upgrade", b" " * 40_000, content_type="application/json", headers={"authorization": f"Bearer {key}"}
    )
    assert long.status_code == 400


def test_versions_that_the_server_does_not_hold_or_speak_and_packages_that_lie_are_refused(
    administrator, fleet, wheels
):
    (host,) = fleet("knot-01")
    unknown = start(administrator, host, version="7.7.7")
    assert (unknown.status_code, f"It holds: {NEW}, {OLD}" in unknown.json()["detail"]) == (400, True)
    make_version(wheels, "0.9.0", says="0.9.1")
    (wheels / "yellow_paddock_agent-0.9.2-py3-none-any.whl").write_bytes(b"not a wheel")
    held = administrator.get("/api/v1/versions/").json()["held"]
    assert [one["version"] for one in held] == [NEW, OLD]
    assert held[0]["protocol"] == wire.VERSION
    make_version(wheels, "1.0.0", {"paddock_agent/wire/shared.py": "\nVERSION = 99\n"})
    refused = start(administrator, host, version="1.0.0")
    assert (refused.status_code, "speaks version 99 of the link" in refused.json()["detail"]) == (400, True)


@pytest.mark.parametrize(
    ("facts", "reason"),
    [
        ({"python": "3.10.2"}, "It has Python 3.10.2, and 0.3.0 needs >=3.11."),
        ({"python": "3.14.0"}, "for linux on x64 with Python 3.14.0"),
        ({"arch": "riscv64"}, "no package of it for linux on riscv64"),
        ({"kept_by": ""}, "started by hand"),
        ({"agent_version": NEW}, "runs 0.3.0 already"),
    ],
)
def test_what_speaks_against_a_host_is_said_before_anything_starts(administrator, fleet, facts, reason):
    (host,) = fleet("knot-01", facts=msgspec.structs.replace(KEPT, **facts))
    answer = start(administrator, host)
    assert (answer.status_code, reason in answer.json()["detail"]) == (400, True), answer.json()
    planned = administrator.post("/api/v1/rollout-plans/", {"hosts": ["knot-01"]}, format="json").json()
    assert planned["waves"] == [[]]
    assert reason in planned["left_out"][0]["reason"]
    assert not Rollout.objects.exists()


def test_a_host_without_a_watch_or_with_an_old_one_is_left_out(administrator, fleet, new_host):
    (fit,) = fleet("knot-01")
    bare = new_host("knot-02", facts=KEPT)
    old = new_host("knot-03", facts=KEPT)
    Health.objects.create(host=old, report=msgspec.to_builtins(report(old)))
    rollout = started(administrator, fit, bare, old)
    rows = {one["host"]: one for one in sheet(administrator, rollout)["hosts"]}
    assert {name: row["step"] for name, row in rows.items()} == {
        "knot-01": "installing", "knot-02": "left out", "knot-03": "left out",
    }  # fmt: skip
    assert "has no watch" in rows["knot-02"]["detail"]
    assert "bring-up command" in rows["knot-03"]["detail"]


def test_waves_canaries_and_the_stop_at_a_canary(administrator, fleet):
    hosts = fleet("knot-01", "knot-02", "knot-03")
    mac = fleet("russet-01", facts=msgspec.structs.replace(KEPT, os="macos", arch="arm64"))
    body = {"hosts": [one.name for one in (*hosts, *mac)], "waves": ["1", "100%"]}
    planned = administrator.post("/api/v1/rollout-plans/", body, format="json").json()
    assert planned["waves"] == [["knot-01", "russet-01"], ["knot-02"], ["knot-03"]]
    rollout = started(administrator, *hosts, *mac, canaries=True, waves=["1", "100%"])
    assert [name for name, step in steps(administrator, rollout).items() if step == "installing"] == [
        "knot-01", "russet-01",
    ]  # fmt: skip
    waits = {one["host"]: one["detail"] for one in sheet(administrator, rollout)["hosts"]}
    assert waits["knot-02"] == "It waits for the canaries."
    proves(hosts[0])
    tell(mac[0], "kept", why="No space left on device")
    roll_all()
    shown = sheet(administrator, rollout)
    assert (shown["state"], shown["reason"]) == ("stopped", "russet-01 went back, the first host of its kind.")
    assert steps(administrator, rollout)["knot-02"] == "left out"
    assert f"It kept {OLD}. No space left" in {one["host"]: one["detail"] for one in shown["hosts"]}["russet-01"]


def test_two_rollouts_that_overlap_are_refused_with_which(administrator, fleet):
    host, other = fleet("knot-01", "knot-02")
    first = started(administrator, host)
    refused = start(administrator, host, other)
    assert (refused.status_code, f"knot-01 is in rollout {first} already" in refused.json()["detail"]) == (409, True)
    tell(host, "installing")
    assert administrator.post(f"/api/v1/rollouts/{first}/stop/").status_code == 200
    assert start(administrator, host).status_code == 409, "it is still at it"
    assert tell(host, "draining").json() == {"stop": True}
    tell(host, "left out", why="The upgrade was stopped; this host keeps its version.")
    assert start(administrator, host, other).status_code == 201
    assert administrator.post(f"/api/v1/rollouts/{first}/stop/").status_code == 409


def test_pause_resume_and_a_host_that_is_away(administrator, fleet):
    host, away = fleet("knot-01", "knot-02")
    note_link(away, LinkEvent.GOODBYE)
    rollout = start(administrator, host, away).json()["id"]
    assert administrator.post(f"/api/v1/rollouts/{rollout}/pause/").json()["state"] == "paused"
    roll_all()
    assert steps(administrator, rollout) == {"knot-01": "waiting", "knot-02": "unreachable"}
    assert administrator.post(f"/api/v1/rollouts/{rollout}/pause/").status_code == 409
    assert administrator.post(f"/api/v1/rollouts/{rollout}/resume/").json()["state"] == "rolling"
    assert administrator.post(f"/api/v1/rollouts/{rollout}/resume/").status_code == 409
    roll_all()
    proves(host)
    assert sheet(administrator, rollout)["state"] == "ended"
    note_link(Host.objects.select_related("paddock").get(name="knot-02"), LinkEvent.HELLO)
    roll_all()
    assert steps(administrator, rollout)["knot-02"] == "installing"
    note_link(Host.objects.select_related("paddock").get(name="knot-02"), LinkEvent.GOODBYE)
    RolloutHost.objects.filter(host=away).update(heard_at=timezone.now() - timedelta(hours=1))
    roll_all()
    assert steps(administrator, rollout)["knot-02"] == "unreachable"
    assert tell(away, "switched").json() == {}
    assert steps(administrator, rollout)["knot-02"] == "switched", "it went on by itself"


def test_going_back_for_all_takes_the_proven_hosts_to_the_versions_they_had(administrator, fleet):
    host, other = fleet("knot-01", "knot-02")
    rollout = started(administrator, host, other, per_paddock=1)
    assert administrator.post(f"/api/v1/rollouts/{rollout}/go-back/").status_code == 409
    proves(host)
    roll_all()
    tell(other, "kept", why="No space left on device")
    roll_all()
    back = administrator.post(f"/api/v1/rollouts/{rollout}/go-back/").json()
    assert (back["undoes"], [one["host"] for one in back["hosts"]]) == (rollout, ["knot-01"])
    roll_all()
    order = json.loads(tell(host, "asked").json()["order"])
    assert order["version"] == OLD


def test_a_second_person_approves_where_the_paddock_asks(administrator, fleet):
    (host,) = fleet("knot-01")
    administrator.patch("/api/v1/paddocks/shoreline/", {"rollouts_need_approval": True}, format="json")
    rollout = started(administrator, host)
    assert (sheet(administrator, rollout)["state"], steps(administrator, rollout)) == (
        "waiting for approval", {"knot-01": "waiting"},
    )  # fmt: skip
    own = administrator.post(f"/api/v1/rollouts/{rollout}/approve/", {"yes": True}, format="json")
    assert (own.status_code, "Another person" in own.json()["detail"]) == (409, True)
    second = a_person("second-mate", Role.ADMINISTRATOR)
    assert (
        second.post(f"/api/v1/rollouts/{rollout}/approve/", {"yes": True}, format="json").json()["state"] == "rolling"
    )
    roll_all()
    assert steps(administrator, rollout) == {"knot-01": "installing"}
    tell(host, "left out", why="x")
    declined = started(administrator, host)
    second.post(f"/api/v1/rollouts/{declined}/approve/", {"yes": False}, format="json")
    assert (sheet(administrator, declined)["state"], steps(administrator, declined)) == (
        "turned down", {"knot-01": "left out"},
    )  # fmt: skip


def test_a_paddock_follows_new_versions_once_others_have_proven_them_for_a_day(administrator, fleet, orchard):
    (canary,) = fleet("knot-01")
    (follower,) = fleet("russet-01", paddock=orchard)
    administrator.patch("/api/v1/paddocks/orchard/", {"follows_versions": True}, format="json")
    assert follow_versions() == [], "nobody has proven it"
    rollout = started(administrator, canary)
    proves(canary)
    assert follow_versions() == [], "not for a day yet"
    RolloutHost.objects.filter(rollout=rollout).update(ended_at=timezone.now() - timedelta(days=1, minutes=1))
    (own,) = follow_versions()
    assert (own.state, own.asked_by, [row.host.name for row in own.hosts.all()]) == (
        "rolling", "the server", ["russet-01"],
    )  # fmt: skip
    assert follow_versions() == [], "once"
    tell(follower, "kept", why="No space left on device")
    assert follow_versions() == [], "and not again after it went back"


def test_the_order_waits_for_the_watch_and_is_remembered_after_a_restart(administrator, fleet):
    (host,) = fleet("knot-01")
    key = make_watch_key(host)

    def reported():
        body = msgspec.json.encode(report(host, upgrades=True))
        headers = {"authorization": f"Bearer {key}"}
        return Client().post("/agent/v1/watch", body, content_type="application/json", headers=headers).json()

    assert reported()["upgrade"] == 0
    started(administrator, host)
    order = RolloutHost.objects.get().pk
    assert reported()["upgrade"] == order
    from paddock_server.health import watches

    watches.set_orders({})
    remember_orders()
    assert reported()["upgrade"] == order


def test_an_administrator_of_the_host_upgrades_it_at_its_terminal(administrator, fleet):
    (host,) = fleet("knot-01")

    def wish(**body):
        headers = {"authorization": f"Bearer {make_watch_key(host)}"}
        return Client().post(
            "/agent/v1/upgrade/ask", json.dumps(body), content_type="application/json", headers=headers
        )

    answer = wish()
    assert answer.json() == {"order": RolloutHost.objects.get().pk, "version": NEW}
    assert Rollout.objects.get().asked_by == "the administrator of knot-01"
    again = wish(version=NEW)
    assert (again.status_code, "is in rollout" in again.json()["detail"]) == (409, True)
    tell(host, "left out", why="x")
    administrator.patch("/api/v1/paddocks/shoreline/", {"rollouts_need_approval": True}, format="json")
    assert "second person" in wish().json()["detail"]


def test_the_spread_of_versions_is_that_of_the_paddocks_one_may_see(administrator, fleet, orchard):
    fleet("knot-01", "knot-02")
    fleet("russet-01", paddock=orchard, facts=msgspec.structs.replace(KEPT, agent_version=NEW))
    shown = administrator.get("/api/v1/versions/").json()
    assert {one["paddock"]: one["versions"] for one in shown["paddocks"]} == {
        "orchard": [{"version": NEW, "hosts": 1}], "shoreline": [{"version": OLD, "hosts": 2}],
    }  # fmt: skip
    assert [one["host"] for one in shown["behind"]] == ["knot-01", "knot-02"]
    theirs = a_person("grower", Role.VIEWER, orchard).get("/api/v1/versions/").json()
    assert ([one["paddock"] for one in theirs["paddocks"]], theirs["behind"]) == (["orchard"], [])
    assert administrator.get("/api/v1/rollouts/").json()["results"] == []


@pytest.mark.parametrize(
    ("body", "pointer"),
    [
        ({"waves": ["0"]}, "waves"), ({"waves": []}, "waves"), ({"waves": ["101%"]}, "waves"),
        ({"hours": {"start": 0, "end": 1440}}, "hours"), ({"hours": {"start": 0, "end": 60, "zone": "Mars"}}, "hours"),
        ({"hours": {"start": 0, "end": 60, "days": []}}, "hours"), ({"proof_limit": 1}, "proof_limit"),
        ({"per_kind": 0}, "per_kind"), ({"hosts": ["knot-01"], "terms": ["os linux"]}, ""),
        ({"hosts": ["nobody-01"]}, ""), ({"paddocks": ["nowhere"]}, ""), ({"terms": ["os beos nine"]}, ""),
    ],
)  # fmt: skip
def test_rules_that_cannot_be_followed_are_refused(administrator, fleet, body, pointer):
    fleet("knot-01")
    answer = administrator.post("/api/v1/rollouts/", body, format="json")
    assert answer.status_code in (400, 404), answer.json()
    assert pointer in json.dumps(answer.json())
    assert not Rollout.objects.exists()


def test_hours_are_those_of_their_zone(administrator, fleet):
    (host,) = fleet("knot-01")
    minute = timezone.now().hour * 60 + timezone.now().minute
    outside = {"start": (minute + 120) % 1440, "end": (minute + 180) % 1440, "zone": "UTC"}
    rollout = started(administrator, host, hours=outside)
    (row,) = sheet(administrator, rollout)["hosts"]
    assert (row["step"], row["detail"]) == ("waiting", "It is not within the hours of the rollout.")
    assert not Finding.objects.exists()


def test_a_rollout_at_a_terminal(typed, fleet):
    host, away = fleet("knot-01", "knot-02")
    note_link(away, LinkEvent.GOODBYE)
    code, output = typed("rollout plan --host knot-01 --host knot-02 --waves 1,100%")
    assert (code, output.splitlines()) == (0, [f"To {NEW}:", "  canaries: knot-01", "  wave 1: knot-02"])
    assert typed("rollout status") == (1, "There is no rollout.\n")
    code, output = typed("rollout start --paddock shoreline --no-canaries")
    rollout = Rollout.objects.get()
    assert (code, output.splitlines()[0]) == (0, f"Rollout {rollout.pk} to {NEW}: rolling. 2 waiting.")
    roll_all()
    assert "knot-01 (wave 1): installing." in typed("rollout status")[1]
    assert "knot-02 (wave 2): unreachable. Its agent is not connected" in typed(f"rollout status {rollout.pk}")[1]
    for verb, state in (("pause", "paused"), ("resume", "rolling"), ("stop", "stopped")):
        assert (
            typed(f"rollout {verb} {rollout.pk}")[1]
            .splitlines()[0]
            .startswith(f"Rollout {rollout.pk} to {NEW}: {state}")
        )
    record_upgrade(host, wire.UpgradeReport(RolloutHost.objects.get(host=host).pk, "kept", "No space left on device"))
    code, output = typed(f"rollout status {rollout.pk} --watch --json")
    assert (code, json.loads(output)["counts"]) == (1, {"went back": 1, "left out": 1}), "its exit code says it"
    assert typed(f"rollout go-back {rollout.pk}")[0] == 1
    assert typed("rollout plan --host knot-01 --to 7.7.7") == (
        1, f"This server does not hold the agent 7.7.7. It holds: {NEW}, {OLD}.\n",
    )  # fmt: skip


def test_an_administrator_of_the_server_adds_a_version_and_a_newer_server_keeps_the_older_ones(
    settings, tmp_path, capsys, wheels
):
    made = make_version(tmp_path, "0.5.0")
    assert main(["add-agent", str(made)]) == 0
    assert "holds the agents 0.5.0, " in capsys.readouterr().out
    lies = make_version(tmp_path, "0.6.0", says="0.6.1")
    assert main(["add-agent", str(lies)]) == 1
    assert "says 0.6.0, and its program says 0.6.1" in capsys.readouterr().err
    assert main(["add-agent", str(tmp_path / "nothing-1.0-py3-none-any.whl")]) == 1
    assert main(["add-agent", str(tmp_path)]) == 1
    keep_versions()
    (wheels / f"yellow_paddock_agent-{OLD}-py3-none-any.whl").unlink()
    (wheels / f"yellow_paddock_agent-{NEW}-py3-none-any.whl").unlink()
    for number in range(4):
        make_version(wheels, f"1.0.{number}")
    assert [one.version for one in held_versions()] == ["1.0.3", "1.0.2", "1.0.1", "1.0.0", "0.5.0", NEW, OLD]
    keep_versions()
    assert [one.version for one in held_versions()] == ["1.0.3", "1.0.2", "1.0.1", "1.0.0", "0.5.0"]

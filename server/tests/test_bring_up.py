"""Bring-up sheets over the API, and what machines tell of themselves."""

from __future__ import annotations

import hashlib
import re
from datetime import timedelta

import msgspec
import pytest
from django.test import Client
from django.utils import timezone
from people import FACTS, a_person

from paddock_agent import wire
from paddock_core.bring_up import QUIET_SECONDS
from paddock_core.link_state import LinkEvent
from paddock_server.bring_up.models import BringUp, ReportedStep
from paddock_server.health.actions.note_link import note_link
from paddock_server.hosts.actions.guard import FREE_TRIES, wait_after
from paddock_server.hosts.models import EntryPass, Guessing, Host
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.work.models import Job

SERVER = "http://testserver"
WANTED = {"paddock": "shoreline", "system": "linux", "arch": "x64", "server": SERVER}


@pytest.fixture(autouse=True)
def packages(settings, tmp_path, shoreline):
    """Two packages to hand out, so that there is a script."""
    settings.WHEELS = tmp_path / "wheels"
    settings.WHEELS.mkdir()
    for name in ("yellow_paddock_agent-0.1.0", "pip-26.0"):
        (settings.WHEELS / f"{name}-py3-none-any.whl").write_bytes(name.encode())


def make(person, **more):
    return person.post("/api/v1/bring-ups/", {**WANTED, **more}, format="json")


def tell(sheet, step, mark, **more):
    report = wire.StepReport(sheet["code"] if "code" in sheet else _code(sheet), step, mark, **more)
    return Client().post("/agent/v1/bring-up", msgspec.json.encode(report), content_type="application/json")


def _code(sheet):
    return BringUp.objects.get(pk=sheet["id"]).code


def steps(person, sheet):
    fresh = person.get(f"/api/v1/bring-ups/{sheet['id']}/").json()
    return fresh, {one["step"]: one for one in fresh["steps"]}


def join(secret, sheet, facts=FACTS, **more):
    asked = wire.JoinRequest(secret, facts, sheet=_code(sheet) if isinstance(sheet, dict) else sheet, **more)
    return Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")


def secret_in(command):
    return re.search(r"PADDOCK_PASS ?= ?'([^']+)'", command["run"]).group(1)


def test_a_sheet_follows_its_machine_from_the_script_to_the_proof_job(administrator):
    made = make(administrator, name="dunlin-01", labels=["Bench-Rig"], slots=3).json()
    sheet, secret = made["sheet"], secret_in(made["command"])
    assert (sheet["phase"], sheet["title"]) == ("expected", "dunlin-01")

    script = Client().get("/install/paddock.sh", {"sheet": _code(sheet)}).content.decode()
    assert hashlib.sha256(script.encode()).hexdigest() == made["command"]["sha256"]
    assert "PADDOCK_NAME='dunlin-01'\nPADDOCK_LABELS='bench-rig'\nPADDOCK_SLOTS='3'" in script
    assert secret not in script
    assert steps(administrator, sheet)[1]["fetch"]["state"] == "done"

    check = wire.Checked("disk", "ok", "41 GB free")
    tell(sheet, "preflight", "begun", hostname="dunlin")
    tell(sheet, "preflight", "done", checks=[check])
    tell(sheet, "install", "done", found="/opt/paddock")
    assert join(secret, sheet, name="dunlin-01").status_code == 201
    tell(sheet, "service", "done")
    fresh, now = steps(administrator, sheet)
    assert fresh["checks"][0]["found"] == "41 GB free"
    assert (fresh["host"], now["connect"]["state"]) == ("dunlin-01", "now")

    host = Host.objects.get(name="dunlin-01")
    assert (host.labels, host.slots) == (["bench-rig"], 3)
    note_link(host, LinkEvent.HELLO)
    git = wire.FoundInstallation("git", "2.39.5", "/usr/bin/git", "/usr", True)
    odd = wire.FoundInstallation("rm -rf $HOME", "1", "/x", "", False)
    record_survey(host, wire.SurveyReport(facts=FACTS, installations=[git, odd]))
    assert steps(administrator, sheet)[0]["phase"] == "at the gate"
    assert not Job.objects.exists()
    administrator.post("/api/v1/hosts/dunlin-01/admit/")
    proof = Job.objects.get()
    assert proof.terms == ["host dunlin-01", "tool git"]
    assert "rm" not in proof.script
    assert steps(administrator, sheet)[1]["prove"]["state"] == "now"
    proof.state, proof.ended_at = "passed", timezone.now()
    proof.save()
    assert steps(administrator, sheet)[0]["phase"] == "finished"
    assert administrator.get("/api/v1/bring-ups/").json()["results"] == []
    assert len(administrator.get("/api/v1/bring-ups/?all=true").json()["results"]) == 1


def test_a_failed_step_is_shown_with_what_was_found_and_its_remedy(administrator):
    sheet = make(administrator).json()["sheet"]
    tell(sheet, "service", "failed", found="the account ghost does not exist", remedy=["useradd ghost"])
    fresh, now = steps(administrator, sheet)
    assert (fresh["phase"], fresh["sentence"]) == (
        "failed",
        "Stopped at “Service set up and started”: the account ghost does not exist.",
    )
    assert (now["service"]["detail"], now["service"]["remedy"]) == (
        "the account ghost does not exist",
        ["useradd ghost"],
    )


def test_an_abandoned_one_says_where_it_stopped(administrator):
    sheet = make(administrator).json()["sheet"]
    tell(sheet, "preflight", "begun")
    long_ago = timezone.now() - timedelta(seconds=QUIET_SECONDS + 5)
    ReportedStep.objects.update(began_at=long_ago)
    fresh, _ = steps(administrator, sheet)
    assert fresh["phase"] == "cut off"
    assert "stopped at “Machine checked”" in fresh["sentence"]


def test_what_the_server_refuses_shows_on_the_sheet(administrator):
    made = make(administrator).json()
    sheet, secret = made["sheet"], secret_in(made["command"])
    EntryPass.objects.update(ends_at=timezone.now())
    assert join(secret, sheet).status_code == 403
    fresh, now = steps(administrator, sheet)
    assert fresh["phase"] == "failed"
    assert "ended on" in now["join"]["detail"]


@pytest.mark.parametrize(
    ("more", "pointer", "says"),
    [
        ({"name": "no good"}, "/name", "will not do"),
        ({"labels": ["a b"]}, "/labels", "cannot be a label"),
        ({"work_folder": "builds"}, "/work_folder", "whole path"),
        ({"work_folder": "/srv/my builds"}, "/work_folder", "a space in it"),
        ({"work_folder": "/" + "x" * 99}, "/work_folder", "100 characters"),
        ({"account": "x'; reboot; '"}, "/account", "cannot be the name"),
        ({"supervisor": "log-in"}, "/supervisor", "is for macOS"),
        ({"server": "paddock:8200"}, "/server", "not a server address"),
        ({"server": "http://paddock/`id`"}, "/server", "not a server address"),
        ({"system": "windows", "arch": "arm64"}, "/arch", "no packages"),
    ],
)
def test_choices_that_could_not_work_are_refused_field_by_field(administrator, more, pointer, says):
    answer = make(administrator, **more)
    assert answer.status_code == 400
    (error,) = answer.json()["errors"]
    assert (error["pointer"], says in error["detail"]) == (pointer, True), error
    assert not BringUp.objects.exists()


def test_a_taken_name_and_a_missing_role_are_refused(administrator, operator, new_host, orchard):
    new_host("avocet-01")
    assert make(administrator, name="Avocet-01").status_code == 409
    assert make(operator).status_code == 403
    only_orchard = a_person("pilot", Role.ADMINISTRATOR, orchard)
    assert make(only_orchard).status_code == 404
    sheet = make(administrator).json()["sheet"]
    assert only_orchard.get(f"/api/v1/bring-ups/{sheet['id']}/").status_code == 404
    for verb in ("renew", "give-up", "prove"):
        assert operator.post(f"/api/v1/bring-ups/{sheet['id']}/{verb}/").status_code == 403


def test_a_new_command_kills_the_old_pass_and_giving_up_kills_the_last(administrator):
    made = make(administrator).json()
    sheet = made["sheet"]
    again = administrator.post(f"/api/v1/bring-ups/{sheet['id']}/renew/").json()
    assert "was revoked" in join(secret_in(made["command"]), sheet).json()["detail"]
    administrator.post(f"/api/v1/bring-ups/{sheet['id']}/give-up/")
    assert "was revoked" in join(secret_in(again["command"]), sheet).json()["detail"]
    assert tell(sheet, "install", "done").status_code == 404
    assert Client().get("/install/paddock.sh", {"sheet": _code(sheet)}).status_code == 404
    third = administrator.post(f"/api/v1/bring-ups/{sheet['id']}/renew/").json()
    assert join(secret_in(third["command"]), sheet).status_code == 201
    assert administrator.post(f"/api/v1/bring-ups/{sheet['id']}/renew/").status_code == 409


def test_a_sheets_code_opens_no_other_paddock(administrator, orchard):
    sheet = make(administrator).json()["sheet"]
    other = administrator.post("/api/v1/passes/", {"paddock": "orchard", "name": "other"}, format="json").json()
    assert join(other["secret"], sheet).status_code == 201
    assert steps(administrator, sheet)[0]["host"] is None


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"[]",
        b'{"sheet": 1}',
        b'{"sheet":"x","step":"install","mark":"done"}',
        b'{"sheet":"x","step":"' + b"a" * 5000,
    ],
)
def test_rubbish_and_unknown_codes_are_refused(body):
    assert Client().post("/agent/v1/bring-up", body, content_type="application/json").status_code in (400, 404)


def test_a_machine_cannot_tell_of_what_the_server_sees(administrator):
    sheet = make(administrator).json()["sheet"]
    for step, mark in (("admit", "done"), ("prove", "done"), ("install", "great")):
        assert tell(sheet, step, mark).status_code == 400
    assert tell(sheet, "install", "done", found="x" * 2000).status_code == 204
    assert tell(sheet, "preflight", "done", checks=[wire.Checked("a", "odd")] * 50).status_code == 204
    assert steps(administrator, sheet)[0]["checks"] == []


def test_the_scripts_of_both_shells_have_the_choices_and_no_secret(administrator):
    made = make(administrator, system="windows", account=".\\build", work_folder=r"C:\b").json()
    assert "Get-FileHash" in made["command"]["run"]
    script = Client().get("/install/paddock.ps1", {"sheet": _code(made["sheet"])}).content.decode()
    assert "$env:PADDOCK_USER = '.\\build'" in script
    assert made["command"]["sha256"] == hashlib.sha256(script.encode()).hexdigest()
    assert Client().get("/install/paddock.sh", {"sheet": _code(made["sheet"])}).status_code == 404


def test_many_machines_come_by_one_pass_and_tick_off_under_their_names(administrator, new_host):
    table = "name,system,labels,slots\nknot-11,linux,bench-rig,2\nknot-12,linux,,\nrusset-07,macos,,\n"
    body = {"paddock": "shoreline", "server": SERVER, "text": table}
    made = administrator.post("/api/v1/bring-ups/planned/", body, format="json").json()
    assert [one["title"] for one in made["sheets"]] == ["knot-11", "knot-12", "russet-07"]
    assert [one["system"] for one in made["commands"]] == ["linux", "macos"]
    secret = secret_in(made["commands"][0])
    assert secret == secret_in(made["commands"][1])
    batch = made["sheets"][0]["batch"]
    script = Client().get("/install/paddock.sh", {"sheet": batch}).content.decode()
    assert "PADDOCK_NAME" not in script.split("usage()")[0]

    knot = msgspec.structs.replace(FACTS, hostname="KNOT-11")
    assert tell({"code": batch}, "preflight", "done", hostname="Knot-11").status_code == 204
    assert tell({"code": batch}, "preflight", "done", hostname="stranger").status_code == 404
    assert join(secret, batch, knot).status_code == 201
    host = Host.objects.get(name="KNOT-11")
    assert (host.labels, host.slots) == (["bench-rig"], 2)
    phases = {one["title"]: one["host"] for one in administrator.get("/api/v1/bring-ups/").json()["results"]}
    assert phases == {"knot-11": "KNOT-11", "knot-12": None, "russet-07": None}
    again = administrator.post("/api/v1/bring-ups/planned/", body, format="json").json()
    assert "knot-12 is expected already" in again["detail"]
    assert BringUp.objects.count() == 3


def test_mistakes_in_a_table_are_all_told_and_nothing_is_made(administrator, new_host):
    new_host("avocet-01")
    table = "name,system,work folder\navocet-01,linux,\nb c,linux,\nknot-1,linux,here\n"
    body = {"paddock": "shoreline", "server": SERVER, "text": table}
    answer = administrator.post("/api/v1/bring-ups/planned/", body, format="json")
    assert answer.status_code == 400
    assert [one["pointer"] for one in answer.json()["errors"]] == ["/2", "/3", "/1/name"]
    assert not BringUp.objects.exists()
    assert not EntryPass.objects.filter(name__contains="expected").exists()


def ask(secret, **more):
    asked = wire.PassQuestion(secret, **{"hostname": "knot", **more})
    return Client().post("/agent/v1/ask", msgspec.json.encode(asked), content_type="application/json")


def test_asking_about_a_pass_uses_nothing_up(administrator, new_host):
    secret = secret_in(make(administrator).json()["command"])
    for _ in range(3):
        assert ask(secret).json() == {"paddock": "shoreline", "name": "knot", "gate": True}
    new_host("avocet-01")
    assert "is a host in shoreline already" in ask(secret, name="avocet-01").json()["detail"]
    assert ask(secret, name="no good").status_code == 400


def test_guessing_is_slowed_down_and_shows_up_until_somebody_has_looked(administrator, operator):
    secret = secret_in(make(administrator).json()["command"])
    for _ in range(FREE_TRIES):
        assert ask("paddock-pass-guess").status_code == 403
    slowed = ask(secret)
    assert slowed.status_code == 429
    assert "The next can be tried in" in slowed.json()["detail"]
    (found,) = administrator.get("/api/v1/guessing/").json()
    assert (found["address"], found["tries"]) == ("127.0.0.1", FREE_TRIES)
    assert operator.get("/api/v1/guessing/").json() == []
    assert Entry.objects.filter(verb="saw wrong passes from").count() == 1
    Guessing.objects.update(last_at=timezone.now() - wait_after(FREE_TRIES))
    assert ask(secret).status_code == 200
    body = {"address": "127.0.0.1"}
    assert operator.post("/api/v1/guessing/", body, format="json").status_code == 403
    assert administrator.post("/api/v1/guessing/", body, format="json").status_code == 204
    assert administrator.get("/api/v1/guessing/").json() == []


def test_the_wait_grows_and_ends():
    waits = [wait_after(tries) for tries in range(FREE_TRIES + 60)]
    assert waits == sorted(waits)
    assert waits[FREE_TRIES - 1] == timedelta(0)
    assert waits[-1] == timedelta(minutes=15)


def test_an_agent_is_had_to_start_afresh_only_where_it_can_hear(operator, viewer, new_host):
    facts = msgspec.structs.replace(FACTS, differs=[wire.Difference("PATH", "", "/opt/jdk/bin")])
    new_host("avocet-01", facts=facts)
    new_host("curlew-01", connected=False)
    assert operator.get("/api/v1/hosts/avocet-01/").json()["facts"]["differs"][0]["name"] == "PATH"
    assert viewer.post("/api/v1/hosts/avocet-01/restart/").status_code == 403
    assert operator.post("/api/v1/hosts/avocet-01/restart/").status_code == 202
    assert operator.post("/api/v1/hosts/curlew-01/restart/").status_code == 409


def test_without_packages_no_sheet_is_made(administrator, settings, tmp_path):
    settings.WHEELS = tmp_path / "none"
    assert "make wheels" in make(administrator).json()["detail"]
    assert not BringUp.objects.exists()


# ---- repairing -------------------------------------------------------------------------------------------------------


def known(host, sheet):
    report = msgspec.json.encode(wire.KnownMachine(_code(sheet), "x"))
    headers = {"Authorization": f"Bearer {host.key}"}
    return Client().post("/agent/v1/bring-up/known", report, content_type="application/json", headers=headers)


def test_a_host_that_exists_is_repaired_and_keeps_what_it_is(administrator, new_host):
    host = new_host("avocet-01")
    refused = make(administrator, name="Avocet-01")
    assert (refused.status_code, "Repair it" in refused.json()["detail"]) == (409, True)
    sheet = make(administrator, name="avocet-01", labels=["other"], repairs=True).json()["sheet"]
    tell(sheet, "service", "begun")
    assert known(host, sheet).status_code == 204
    shown, by_step = steps(administrator, sheet)
    assert by_step["join"]["state"] == "done"
    assert "its key, name and labels stay" in by_step["join"]["detail"]
    assert by_step["connect"]["state"] != "done", "what it did before says nothing of the repair"
    host.refresh_from_db()
    assert (host.name, host.labels) == ("avocet-01", [])
    assert EntryPass.objects.get(bring_ups=sheet["id"]).revoked_at, "no agent can join with it any more"
    tell(sheet, "service", "done")
    note_link(host, LinkEvent.GOODBYE)
    note_link(host, LinkEvent.HELLO)
    assert steps(administrator, sheet)[1]["connect"]["state"] == "done"
    assert known(host, sheet).status_code == 204, "reported twice"
    assert shown["host"] == "avocet-01"


def test_the_command_of_a_repair_is_for_the_hosts_own_system(administrator, new_host):
    host = new_host("avocet-01")
    host.facts = {**host.facts, "os": "windows", "arch": "x64"}
    host.save()
    made = make(administrator, name="avocet-01", system="linux", arch="arm64", repairs=True).json()
    assert (made["sheet"]["system"], made["command"]["shell"]) == ("windows", "PowerShell, opened as administrator")


def test_a_sheet_is_repaired_only_by_a_host_of_its_paddock(administrator, new_host, orchard):
    host = new_host("avocet-01")
    other = make(administrator, name="russet-01", paddock="orchard").json()["sheet"]
    assert known(host, other).status_code == 409
    assert Client().post("/agent/v1/bring-up/known", b"{}", content_type="application/json").status_code == 401
    assert make(administrator, name="nobody", repairs=True).status_code == 409
    assert make(administrator, name="avocet-01", paddock="orchard", repairs=True).status_code == 409

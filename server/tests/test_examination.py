"""Examinations: asked for, brought by the watch, turned into a finding, shown as text."""

import time

import msgspec
import pytest
from watch_reports import RUNNING, STOPPED, report

from paddock_agent import wire
from paddock_agent.doctor.evidence import Check
from paddock_core.link_state import LinkEvent
from paddock_server.health import watches
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.actions.record_watch_report import record_watch_report
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.health.reevaluation import dirty_hosts
from paddock_server.hosts.actions.make_watch_key import make_watch_key
from paddock_server.logbook.models import Entry

UNIT = {"LoadState": "loaded", "ActiveState": "failed", "Result": "exit-code", "FragmentExists": "yes"}
GONE = wire.Evidence(
    "paddock-agent-knot.service",
    "build",
    "/var/lib/paddock-agent",
    unit=UNIT,
    checks=(Check("account", False, "there is no account build"),),
    log=("\x1b[31mFailed at step USER", "<script>alert(1)</script>"),
)


@pytest.fixture
def host(new_host):
    made = new_host()
    make_watch_key(made)
    made.refresh_from_db()
    watches.answered(made.pk)
    watches._watches().heard.pop(made.pk, None)
    return made


def found():
    dirty_hosts().everything = True
    return {one.code: one for one in SeenFleet().look(time.time() + 1)}


def test_evidence_about_an_agent_that_is_away_becomes_one_finding(host):
    note_link(host, LinkEvent.SOCKET_CLOSED)
    failed = msgspec.convert({**vars(STOPPED), "running": "failed", "cause": "no account"}, wire.ServiceState)
    assert record_watch_report(host, report(host, failed)).examine
    record_watch_report(host, report(host, failed, evidence=GONE))
    findings = found()
    assert set(findings) == {"agent-down"}
    one = findings["agent-down"]
    assert (one.about, "build" in one.sentence) == ("account", True)
    assert any(command.startswith("useradd ") for command in one.remedy.commands)
    assert not any("\x1b" in evidence.text for evidence in one.evidence)
    note_link(host, LinkEvent.HELLO)
    assert "agent-down" not in found()


def test_evidence_from_before_explains_nothing(host):
    record_watch_report(host, report(host, RUNNING, evidence=GONE))
    note_link(host, LinkEvent.SOCKET_CLOSED)
    record_watch_report(host, report(host, STOPPED))
    assert "agent-down" not in found()


def test_a_unit_that_will_not_start_again_is_found_while_it_runs(host):
    note_link(host, LinkEvent.HELLO)
    deleted = msgspec.convert({**vars(RUNNING), "unit_trouble": "deleted"}, wire.ServiceState)
    unit = {**UNIT, "ActiveState": "active", "FragmentExists": "no"}
    gone = wire.Evidence(GONE.service, unit=unit, process={"pid": "7"})
    record_watch_report(host, report(host, deleted, evidence=gone))
    assert found()["unit-broken"].about == "unit missing"
    record_watch_report(host, report(host, RUNNING))
    assert "unit-broken" not in found()


def test_a_machine_is_asked_and_its_report_is_kept(operator, viewer, host):
    path = f"/api/v1/hosts/{host.name}/examination/"
    refused = operator.post(path)
    assert (refused.status_code, "paddock-agent doctor" in refused.json()["detail"]) == (409, True)
    note_link(host, LinkEvent.HELLO)
    record_watch_report(host, report(host))
    assert viewer.post(path).status_code == 403
    assert operator.post(path).status_code == 202
    assert operator.get(path).json()["is_asked"]
    assert record_watch_report(host, report(host)).examine
    record_watch_report(host, report(host, evidence=GONE))
    shown = viewer.get(path).json()
    assert (shown["is_asked"], "there is no account build" in shown["text"]) == (False, True)
    assert "\x1b" not in shown["text"]
    assert {"asked", "examined"} <= set(Entry.objects.values_list("verb", flat=True))


def test_the_key_of_an_agent_is_known_or_not(client, host, new_host):
    from paddock_server import secret

    host.key_digest = secret.digest("paddock-key")
    host.save()
    good = client.get("/agent/v1/key", HTTP_AUTHORIZATION="Bearer paddock-key")
    assert good.json() == {"host": host.name, "connected": True}
    assert client.get("/agent/v1/key", HTTP_AUTHORIZATION="Bearer other").status_code == 401
    assert client.get("/agent/v1/key").status_code == 401

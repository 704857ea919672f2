"""The catalogue in the web: written, tried on chosen hosts, released, taken by agents or not."""

import pytest
from people import FACTS, a_person

from paddock_agent import wire
from paddock_agent.probes import Probes, ProbesRefused
from paddock_server.health.actions.greet import greet
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.process import connections
from paddock_server.toolchains.actions.try_tool import record_trial
from paddock_server.toolchains.catalogue import catalogue, public_key
from paddock_server.toolchains.models import ToolEdit

TIDE = """
name: tide-sdk
title: Tide SDK
kind: other
commands: [tide]
aliases: [tides]
scheme: date
reads: ["tide {version}"]
linux: {folders: [/opt/tide*/bin]}
"""
PLACE = "/api/v1/catalogue/tide-sdk/"


@pytest.fixture
def sent(monkeypatch):
    """What agents would get, in order."""
    messages = []
    monkeypatch.setattr(connections, "send", lambda host, message: messages.append((host, message)))
    return messages


def keep(client, text=TIDE, note=""):
    return client.post(PLACE, {"text": text, "note": note}, format="json")


def release(client, number=1):
    return client.post(f"{PLACE}{number}/release/")


def test_a_definition_is_tried_released_and_taken_by_an_agent_that_knows_the_server(
    administrator, new_host, sent, tmp_path
):
    host = new_host("avocet-01")
    assert keep(administrator, note="for the gauges").status_code == 200
    assert "tide-sdk" not in catalogue().tools, "a draft changes nothing"
    tried = administrator.post(f"{PLACE}1/try/", {"hosts": ["avocet-01"]}, format="json")
    assert tried.status_code == 200
    ((to, asked),) = sent
    probes = Probes(tmp_path)
    probes.know(public_key())
    assert (to, probes.for_trial(asked.trial, asked.tool, asked.signature).name) == (host.pk, "tide-sdk")
    record_trial(
        host, wire.Tried(trial=asked.trial, installations=[wire.FoundInstallation("tide-sdk", "2026-05-01", "/opt/t")])
    )
    (trial,) = administrator.get(PLACE).json()["trials"]
    assert (trial["host"], trial["found"][0]["version"]) == ("avocet-01", "2026-05-01")
    sent.clear()
    assert release(administrator).json()["release"] == 1
    ((to, message),) = sent
    assert probes.accept(message.number, message.tools, message.signature)
    assert (probes.refused, probes.number) == ("", 1)
    assert "tide-sdk" in {tool.name for tool in probes.tools}
    assert catalogue().words.scheme("tide-sdk") == "date"
    fit = administrator.post("/api/v1/fit/", {"terms": ["tool tides 2026-01-01+"]}, format="json")
    assert fit.json()["terms"][0]["term"] == "tool tide-sdk 2026-01-01+"
    assert [one.verb for one in Entry.objects.filter(noun="tool").order_by("id")] == [
        "wrote a definition of",
        "tried a definition of",
        "released a definition of",
    ]


def test_another_servers_signature_is_refused_by_the_agent(administrator, new_host, sent, tmp_path):
    new_host("avocet-01")
    keep(administrator)
    release(administrator)
    probes = Probes(tmp_path)
    probes.know("00" * 32)
    message = sent[-1][1]
    probes.accept(message.number, message.tools, message.signature)
    assert "not signed by the server" in probes.refused
    with pytest.raises(ProbesRefused):
        probes.for_trial(1, TIDE, message.signature)


def test_an_agent_that_comes_later_hears_of_the_key_and_of_the_release(administrator, new_host, sent):
    host = new_host("avocet-01")
    keep(administrator)
    release(administrator)
    sent.clear()
    welcome = greet(host.pk, wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[]), "10.0.0.7")
    assert welcome.signer == public_key()
    assert [type(message) for _, message in sent] == [wire.Probes]


def test_the_servers_own_definition_can_be_taken_out_again(administrator, sent):
    git = TIDE.replace("tide-sdk", "git").replace("aliases: [tides]\n", "")
    administrator.post("/api/v1/catalogue/git/", {"text": git}, format="json")
    administrator.post("/api/v1/catalogue/git/1/release/")
    assert catalogue().tools["git"].title == "Tide SDK"
    assert administrator.get("/api/v1/catalogue/git/").json()["built_in"] is False
    administrator.post("/api/v1/catalogue/git/", {"text": "", "note": "back"}, format="json")
    administrator.post("/api/v1/catalogue/git/2/release/")
    assert catalogue().tools["git"].title == "Git"
    assert (catalogue().number, catalogue().own) == (2, frozenset())
    listed = {one["name"]: one for one in administrator.get("/api/v1/catalogue/").json()["tools"]}
    assert (listed["git"]["own"], len(listed) >= 70) == (False, True)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("name: [", "not valid YAML"),
        (TIDE.replace("{version}", "{vers}"), "unknown placeholder {vers}"),
        (TIDE.replace("name: tide-sdk", "name: other"), "is kept as tide-sdk"),
        (TIDE.replace("[tides]", "[java]"), "belongs to jdk"),
        (TIDE.replace("[tides]", "[git]"), "belongs to git"),
        (TIDE + 'ends: [{line: "<x", day: 2026-01-01}]\n', "ends: <x"),
        ("", "no definition of tide-sdk of its own"),
        ("x" * 70_000, "65536"),
    ],
)
def test_a_wrong_definition_is_refused_and_nothing_is_kept(administrator, text, why):
    answer = keep(administrator, text)
    assert answer.status_code == 400
    assert why in answer.json()["detail"]
    assert not ToolEdit.objects.exists()


def test_a_word_that_means_another_tool_cannot_be_a_name(administrator):
    java = TIDE.replace("tide-sdk", "java").replace("aliases: [tides]\n", "")
    answer = administrator.post("/api/v1/catalogue/java/", {"text": java}, format="json")
    assert "another word for jdk" in answer.json()["detail"]


def test_only_administrators_of_everything_change_what_runs_on_hosts(operator, administrator, new_host, sent):
    new_host("avocet-01")
    assert keep(operator).status_code == 403
    keep(administrator)
    assert release(operator).status_code == 403
    assert operator.post(f"{PLACE}1/try/", {"hosts": ["avocet-01"]}, format="json").status_code == 403
    assert operator.get(PLACE).status_code == 200
    assert sent == []


def test_versions_go_forward(administrator, new_host, sent):
    new_host("avocet-01")
    keep(administrator)
    keep(administrator, TIDE + "seconds: 20\n")
    assert release(administrator, 2).status_code == 200
    older, again = release(administrator, 1), release(administrator, 2)
    assert (older.status_code, again.status_code) == (409, 409)
    assert "Version 2 was released since" in older.json()["detail"]
    assert release(administrator, 9).status_code == 404


def test_a_host_that_is_away_or_an_answer_nobody_asked_for(administrator, new_host, sent):
    host, other = new_host("avocet-01"), new_host("knot-02", connected=False)
    keep(administrator)
    away = administrator.post(f"{PLACE}1/try/", {"hosts": ["knot-02"]}, format="json")
    assert (away.status_code, "knot-02" in away.json()["detail"]) == (409, True)
    administrator.post(f"{PLACE}1/try/", {"hosts": ["avocet-01"]}, format="json")
    number = sent[-1][1].trial
    record_trial(other, wire.Tried(trial=number, why="not mine"))
    record_trial(host, wire.Tried(trial=number + 7, why="never asked"))
    assert [one["answered_at"] for one in administrator.get(PLACE).json()["trials"]] == [None]


def test_dry_runs_are_shown_to_who_may_see_their_hosts(administrator, new_host, orchard, sent):
    new_host("avocet-01")
    keep(administrator)
    administrator.post(f"{PLACE}1/try/", {"hosts": ["avocet-01"]}, format="json")
    elsewhere = a_person("apple", Role.VIEWER, orchard)
    assert (len(administrator.get(PLACE).json()["trials"]), elsewhere.get(PLACE).json()["trials"]) == (1, [])


def test_who_has_not_taken_the_release_is_listed_with_the_reason(administrator, new_host, sent):
    new_host("avocet-01")
    refusing = new_host("knot-02")
    refusing.probes_refused = "this host takes built-in probes only"
    refusing.save()
    keep(administrator)
    release(administrator)
    behind = administrator.get("/api/v1/catalogue/").json()["behind"]
    assert behind == {"avocet-01": "it has not surveyed since", "knot-02": "this host takes built-in probes only"}

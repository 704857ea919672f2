"""Probes come from the agent's own server, or not at all."""

import msgspec
import pytest
from nacl.signing import SigningKey

from paddock_agent.catalogue import built_in, read_tool
from paddock_agent.catalogue.signing import signed_text, trial_text
from paddock_agent.cli import main
from paddock_agent.errors import BadTool
from paddock_agent.probes import SWITCH, Probes, ProbesRefused

KEY, OTHER = SigningKey(b"\1" * 32), SigningKey(b"\2" * 32)
TIDE = """{"name": "tide-sdk", "title": "Tide SDK", "kind": "other", "commands": ["tide"],
 "reads": ["tide {version}"], "linux": {}, "home_variables": ["TIDE_HOME"]}"""
SET = f"[{TIDE}]"


def signature(number=1, tools=SET, key=KEY):
    return key.sign(signed_text(number, tools)).signature.hex()


@pytest.fixture
def probes(tmp_path):
    known = Probes(tmp_path)
    known.know(bytes(KEY.verify_key).hex())
    return known


def names(probes):
    return {tool.name for tool in probes.tools}


def test_signed_probes_are_taken_over_the_built_in_ones_and_kept(probes, tmp_path):
    assert probes.accept(1, SET, signature())
    assert "tide-sdk" in names(probes)
    assert len(probes.tools) == len(built_in()) + 1
    assert probes.definition("tide-sdk").home_variables == ["TIDE_HOME"]
    assert Probes(tmp_path).number == 1
    assert "tide-sdk" in names(Probes(tmp_path))
    assert not probes.accept(1, SET, signature()), "the same again changes nothing"


def test_a_definition_of_the_servers_stands_in_for_the_built_in_one(probes):
    git = SET.replace("tide-sdk", "git")
    probes.accept(1, git, signature(1, git))
    assert [tool.title for tool in probes.tools if tool.name == "git"] == ["Tide SDK"]


@pytest.mark.parametrize(
    ("number", "tools", "signed", "why"),
    [
        (1, SET, signature(key=OTHER), "not signed by the server"),
        (2, SET, signature(), "not signed by the server"),
        (1, SET.replace("tide {", "tides {"), signature(), "not signed by the server"),
        (1, SET, "", "signature is missing"),
        (1, SET, "zz", "signature is missing"),
        (1, SET, KEY.sign(trial_text(1, SET)).signature.hex(), "not signed by the server"),
        (1, "[{]", signature(1, "[{]"), "malformed"),
        (1, SET.replace("{version}", ""), signature(1, SET.replace("{version}", "")), "takes a {version}"),
    ],
)
def test_others_are_refused_with_their_reason_and_change_nothing(probes, number, tools, signed, why):
    assert probes.accept(number, tools, signed)
    assert why in probes.refused
    assert "tide-sdk" not in names(probes)
    assert probes.number == 0


def test_older_ones_are_refused(probes):
    probes.accept(3, SET, signature(3))
    probes.accept(2, "[]", signature(2, "[]"))
    assert "older than 3" in probes.refused
    assert "tide-sdk" in names(probes)


def test_the_first_key_that_was_seen_stays(probes):
    probes.know(bytes(OTHER.verify_key).hex())
    probes.accept(1, SET, signature(key=OTHER))
    assert "not signed" in probes.refused


def test_probes_on_the_disk_that_somebody_changed_are_not_used(probes, tmp_path):
    probes.accept(1, SET, signature())
    kept = msgspec.json.decode((tmp_path / "probes.json").read_bytes())
    (tmp_path / "probes.json").write_bytes(msgspec.json.encode(kept | {"tools": SET.replace("tide {", "rm {")}))
    assert names(Probes(tmp_path)) == {tool.name for tool in built_in()}


def test_a_host_may_refuse_all_but_the_built_in_ones(probes, tmp_path, monkeypatch, capsys):
    assert main(["probes", "--home", str(tmp_path), "--only-built-in"]) == 0
    assert "built-in probes only" in capsys.readouterr().out
    probes.accept(1, SET, signature())
    assert "built-in probes only" in probes.refused
    with pytest.raises(ProbesRefused):
        probes.for_trial(7, TIDE, KEY.sign(trial_text(7, TIDE)).signature.hex())
    assert main(["probes", "--home", str(tmp_path), "--all"]) == 0
    assert probes.accept(1, SET, signature())
    monkeypatch.setenv(SWITCH, "built-in")
    assert Probes(tmp_path).number == 0


def test_a_dry_run_needs_a_signature_of_its_own(probes):
    assert probes.for_trial(7, TIDE, KEY.sign(trial_text(7, TIDE)).signature.hex()) == read_tool(TIDE)
    with pytest.raises(ProbesRefused):
        probes.for_trial(8, TIDE, KEY.sign(trial_text(7, TIDE)).signature.hex())
    with pytest.raises(BadTool):
        probes.for_trial(7, "name: x", KEY.sign(trial_text(7, "name: x")).signature.hex())

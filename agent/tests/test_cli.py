"""The agent's command on a host: options, variables, exit codes, and what is asked for and when."""

from __future__ import annotations

import json
import sys
from io import StringIO

import pytest

from paddock_agent import cli, identity, wire
from paddock_agent.errors import Dismissed, JoinRefused, Unreachable, Untrusted
from paddock_agent.identity import Identity
from paddock_agent.preflight.outcome import Check

KNOWN = Identity("http://paddock:8200", "paddock-key-x", "avocet-01", "shoreline", "/work")


class Typed(StringIO):
    """Standard input; a terminal where ``is_terminal``."""

    is_terminal = False

    def isatty(self):
        return self.is_terminal


@pytest.fixture(autouse=True)
def clean(monkeypatch, tmp_path):
    for name in list(cli.os.environ):
        if name.startswith("PADDOCK_"):
            monkeypatch.delenv(name)
    monkeypatch.setattr(sys, "stdin", Typed())
    monkeypatch.setenv("PADDOCK_AGENT_HOME", str(tmp_path / "home"))


@pytest.fixture
def asked(monkeypatch):
    """What was asked of the server, with a server that takes everything."""
    asked = []

    def join(server, request):
        asked.append((server, request))
        return wire.JoinAnswer("paddock-key-y", request.name or "avocet-01", "shoreline", False, 2)

    monkeypatch.setattr(cli, "join", join)
    return asked


def test_every_question_can_be_answered_by_the_environment(monkeypatch, asked, tmp_path, capsys):
    for name, value in {
        "SERVER": "http://paddock:8200/", "PASS": " paddock-pass-x\n", "NAME": "dunlin-01", "LABELS": "a, b",
        "SLOTS": "3", "WORK": "/srv/builds", "SHEET": "code",
    }.items():  # fmt: skip
        monkeypatch.setenv(f"PADDOCK_{name}", value)
    assert cli.main(["join"]) == 0
    ((server, request),) = asked
    assert server == "http://paddock:8200"
    given = (request.secret, request.name, request.labels, request.slots, request.sheet, request.facts.work_folder)
    assert given == ("paddock-pass-x", "dunlin-01", ["a", "b"], 3, "code", "/srv/builds")
    printed = capsys.readouterr()
    assert "spaces or line breaks round it; they were left out" in printed.err
    assert "at the gate" in printed.out
    assert "paddock-pass-x" not in printed.out + printed.err
    assert identity.load(tmp_path / "home").key == "paddock-key-y"
    assert cli.main(["join"]) == 1, "it has joined already"
    assert "--again" in capsys.readouterr().err
    assert cli.main(["join", "--again"]) == 0


def test_the_pass_can_come_by_standard_input(monkeypatch, asked, capsys):
    monkeypatch.setattr(sys, "stdin", Typed("paddock-pass-z\n"))
    assert cli.main(["join", "--server", "http://paddock:8200", "--pass", "-"]) == 0
    assert asked[0][1].secret == "paddock-pass-z"
    assert "left out" not in capsys.readouterr().err, "the line's own end is not a stray character"


def test_what_is_missing_is_asked_for_on_a_terminal_and_only_there(monkeypatch, asked, capsys):
    assert cli.main(["join"]) == 2
    assert "needs --server URL" in capsys.readouterr().err
    assert cli.main(["join", "--server", "http://paddock:8200"]) == 2
    assert "needs --pass SECRET" in capsys.readouterr().err
    terminal = Typed()
    terminal.is_terminal = True
    monkeypatch.setattr(sys, "stdin", terminal)
    monkeypatch.setattr("builtins.input", lambda question: "http://paddock:8200")
    monkeypatch.setattr(cli.getpass, "getpass", lambda question: "paddock-pass-typed")
    assert cli.main(["join"]) == 0
    assert asked[0][1].secret == "paddock-pass-typed"


@pytest.mark.parametrize(
    ("error", "code"), [(JoinRefused("no"), 3), (Unreachable("no"), 4), (Untrusted("no"), 4), (Dismissed("no"), 6)]
)
def test_each_failure_has_its_exit_code(monkeypatch, error, code, capsys):
    def join(server, request):
        raise error

    monkeypatch.setattr(cli, "join", join)
    assert cli.main(["join", "--server", "http://paddock:8200", "--pass", "x"]) == code
    assert capsys.readouterr().err.strip() == "no"


@pytest.mark.parametrize("command", ["run", "leave", "service start", "service status", "service install"])
def test_before_joining_everything_else_says_so(command, capsys):
    assert cli.main(command.split()) == 5
    assert "has not joined a server yet" in capsys.readouterr().err


def test_a_wrong_command_line_is_2():
    for wrong in (["frobnicate"], ["service"], ["join", "--slots", "many"], ["preflight", "--supervisor", "cron"]):
        with pytest.raises(SystemExit) as caught:
            cli.main(wrong)
        assert caught.value.code == 2


def test_the_preflight_speaks_to_people_and_to_machines(monkeypatch, capsys):
    checks = [Check("disk", "missing", "1 MB free", "200 MB are needed.", ("make room",)), Check("clock", "ok", "fine")]

    async def found(system, plan):
        return checks

    monkeypatch.setattr("paddock_agent.preflight.__main__.preflight", found)
    assert cli.main(["preflight", "--server", "http://127.0.0.1:9"]) == 1
    assert "  missing disk: 1 MB free\n          200 MB are needed.\n          do: make room" in capsys.readouterr().out
    checks.pop(0)
    assert cli.main(["preflight", "--json", "--server", "http://127.0.0.1:9"]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert (printed["fit"], printed["checks"][0]["name"]) == (True, "clock")


def test_leaving_tells_the_server_and_removes_what_is_there(monkeypatch, tmp_path, capsys):
    async def removed(system, known):
        return None

    home = tmp_path / "home"
    identity.save(home, Identity(KNOWN.server, KNOWN.key, KNOWN.host, KNOWN.paddock, str(home / "work")))
    monkeypatch.setattr(cli.agent_service, "remove", removed)

    def unreachable(server, key):
        raise Unreachable("The server is away.")

    monkeypatch.setattr(cli, "leave", unreachable)
    assert cli.main(["leave"]) == 1
    assert "--anyway" in capsys.readouterr().err
    assert home.exists()
    assert cli.main(["leave", "--anyway"]) == 0
    assert "could not be reached" in capsys.readouterr().out
    assert not home.exists()


def test_of_several_agents_a_bare_command_asks_which(monkeypatch, tmp_path, capsys):
    homes = [tmp_path / name for name in ("chart", "tide")]
    monkeypatch.setattr(cli.identity, "default_home", lambda: tmp_path / "usual")
    monkeypatch.setattr(cli.doctor, "homes_here", lambda: [str(home) for home in homes])
    monkeypatch.delenv("PADDOCK_AGENT_HOME", raising=False)
    assert cli.main(["leave"]) == 1
    printed = capsys.readouterr().err
    assert "Several agents run on this machine" in printed
    assert all(str(home) in printed for home in homes)
    assert cli.main(["leave", "--home", str(homes[0])]) == 5
    monkeypatch.setattr(cli.doctor, "homes_here", lambda: [str(homes[1])])
    assert cli.main(["leave"]) == 5
    assert str(homes[1]) in capsys.readouterr().err

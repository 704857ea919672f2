"""Documents that repeat what the code says, compared with the code."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tomllib
from importlib import metadata
from pathlib import Path

import pytest

import paddock_agent
from paddock_agent.wire.shared import VERSION, FromAgent, FromServer
from paddock_server.settings_file import KNOWN, variable_of

ROOT = Path(__file__).parents[1]
SETTINGS = (ROOT / "docs" / "settings.md").read_text()
BRING_UP = (ROOT / "docs" / "bring-up.md").read_text()
VARIABLE = re.compile(r"PADDOCK_[A-Z_]+[A-Z]")
READ = re.compile(
    r"(?:environ(?:\.get|\.pop)?[\[(]\s*|given\(\s*|SERVICE_VARIABLE = |variable\(\w+, )\"(PADDOCK_[A-Z_]+)\""
)


def read_by(*folders: str) -> set[str]:
    """The variables that the code of these folders reads."""
    files = [file for folder in folders for file in (ROOT / folder).rglob("*.py")]
    return {name for file in files for name in READ.findall(file.read_text())}


def test_every_variable_of_the_server_is_documented_and_no_other():
    documented = set(VARIABLE.findall(SETTINGS.partition("## Agent")[0]))
    assert read_by("server/paddock_server") | {variable_of(one.name) for one in KNOWN} == documented


def test_every_setting_of_the_file_is_documented_with_its_default():
    table = SETTINGS.partition("## Commands")[0]
    rows = dict(re.findall(r"^\| `(PADDOCK_[A-Z_]+)` \| ?([^|]*)\|", table, re.MULTILINE))
    assert set(rows) - {"PADDOCK_CONFIG"} == {variable_of(one.name) for one in KNOWN}
    numbers = {variable_of(one.name): one.default for one in KNOWN if one.default[:1].isdecimal()}
    assert {name: rows[name].strip() for name in numbers} == numbers


def test_every_variable_of_the_agent_is_documented():
    internal = {"PADDOCK_AGENT_RESTARTED", "PADDOCK_ACCOUNT_PASSWORD"}
    undocumented = read_by("agent/paddock_agent") - set(VARIABLE.findall(SETTINGS + BRING_UP)) - internal
    assert not undocumented


def test_the_protocol_lists_every_message_and_the_version():
    written = (ROOT / "docs" / "agent-protocol.md").read_text()
    for title, base in (("## From the agent", FromAgent), ("## From the server", FromServer)):
        listed = set(re.findall(r"^\| `([^`]+)` \|", written.partition(title)[2].partition("\n## ")[0], re.MULTILINE))
        assert listed == {one.__struct_config__.tag for one in base.__subclasses__()}
    assert f"Version {VERSION};" in written


@pytest.mark.parametrize("part", ["core", "server", "standins"])
def test_every_part_has_the_version_of_the_agent(part):
    assert (
        tomllib.loads((ROOT / part / "pyproject.toml").read_text())["project"]["version"] == paddock_agent.__version__
    )


def test_the_package_of_the_agent_has_its_version():
    assert metadata.version("yellow-paddock-agent") == paddock_agent.__version__


def test_the_data_model_is_that_of_the_models():
    written = (ROOT / "docs" / "data-model.md").read_text()
    script = (
        "import django; django.setup(); import data_model; "
        "print(sorted(data_model.missing_types())); print(data_model.document())"
    )
    environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "paddock_server.settings", "PYTHONPATH": str(ROOT / "tools")}
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True, env=environment)
    missing, _, document = done.stdout.partition("\n")
    assert missing == "[]"
    assert document == written + "\n", "run: .venv/bin/python tools/data_model.py"


def test_links_between_documents_lead_somewhere():
    broken = []
    for file in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\((?!https?:)([^)#\s]+)", file.read_text()):
            if not (file.parent / target).exists():
                broken.append(f"{file.relative_to(ROOT)}: {target}")
    assert not broken


def test_the_paths_that_the_how_tos_name_exist():
    missing = []
    for file in (ROOT / "docs" / "how-to").glob("*.md"):
        for path in re.findall(
            r"`((?:core|agent|server|web|standins|tests|docs|tools)/[^`\s*<>…]+)`", file.read_text()
        ):
            if "NAME" not in path and not (ROOT / path).exists():
                missing.append(f"{file.name}: {path}")
    assert not missing

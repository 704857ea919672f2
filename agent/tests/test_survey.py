"""The survey over a real file system with tools of our own making, and over this very machine."""

import asyncio
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from paddock_agent.survey import survey
from paddock_agent.survey.tools import TOOLS
from paddock_agent.system.real import RealSystem


class OnlyHere(RealSystem):
    """This machine, with nothing but a few folders on PATH and no known folders of tools."""

    def __init__(self, *folders: Path, **variables: str) -> None:
        super().__init__()
        self._variables = {"PATH": ":".join(map(str, folders)), "HOME": "/nowhere", **variables}

    def environment(self):
        return self._variables

    def executables(self, pattern):
        kept = [self._variables["PATH"].split(":"), [v for k, v in self._variables.items() if k.endswith("_HOME")]]
        inside = [folder for group in kept for folder in group]
        return [path for path in super().executables(pattern) if any(path.startswith(folder) for folder in inside)]


def make(folder: Path, name: str, says: str) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / name
    file.write_text(f"#!/bin/sh\n{says}\n")
    file.chmod(0o755)
    return file


def found(system, patience=10.0):
    result = asyncio.run(survey(system, TOOLS, patience))
    return result.installations, result.broken


def test_several_versions_of_one_tool_are_several_installations(tmp_path):
    make(tmp_path / "a", "git", "echo git version 2.39.5")
    make(tmp_path / "b", "git", "echo git version 2.45.1")
    here, broken = found(OnlyHere(tmp_path / "a", tmp_path / "b"))
    assert [(one.version, one.plain) for one in here] == [("2.39.5", True), ("2.45.1", False)]
    assert broken == []


def test_links_to_one_tool_are_one_installation(tmp_path):
    real = make(tmp_path / "real", "git", "echo git version 2.39.5")
    (tmp_path / "link").mkdir()
    (tmp_path / "link" / "git").symlink_to(real)
    here, _ = found(OnlyHere(tmp_path / "link", tmp_path / "real"))
    assert [(one.path, one.plain) for one in here] == [(str(tmp_path / "link" / "git"), True)]


@pytest.mark.parametrize(
    ("says", "why"),
    [
        ("sleep 600", "did not answer within"),
        ("echo 'no runtime present' >&2; exit 1", "exit code 1: no runtime present"),
        ("exit 9", "exit code 9: it printed nothing"),
        ("kill -9 $$", "exit code -9"),
    ],
)
def test_a_tool_that_does_not_work_is_found_but_broken_and_spoils_nothing_else(tmp_path, says, why):
    make(tmp_path, "git", says)
    make(tmp_path, "cmake", "echo cmake version 3.25.1")
    here, broken = found(OnlyHere(tmp_path), patience=1.0)
    assert [one.tool for one in here] == ["cmake"]
    assert [one.tool for one in broken] == ["git"]
    assert why in broken[0].why


def test_a_file_that_is_something_else_is_no_installation(tmp_path):
    make(tmp_path, "gcc", "echo Apple clang version 15.0.0")
    make(tmp_path, "make", "echo '<b>not make</b>'")
    assert found(OnlyHere(tmp_path)) == ([], [])


def test_a_tool_that_prints_without_end_is_cut(tmp_path):
    make(tmp_path, "git", "echo git version 2.39.5; head -c 50000000 /dev/zero")
    here, _ = found(OnlyHere(tmp_path))
    assert [one.version for one in here] == ["2.39.5"]


def test_a_version_on_the_error_stream_in_colour_is_read(tmp_path):
    make(tmp_path, "mvn", r"printf '\033[1mApache Maven 3.9.6\033[m\nMaven home: /opt/maven\n' >&2")
    here, _ = found(OnlyHere(tmp_path))
    assert [(one.tool, one.version, one.home) for one in here] == [("maven", "3.9.6", "/opt/maven")]


def test_a_java_without_a_compiler_is_no_jdk(tmp_path):
    java = "echo 'openjdk version \"17.0.9\" 2023-10-17' >&2"
    make(tmp_path / "bin", "java", java)
    assert found(OnlyHere(tmp_path / "bin"))[0] == []
    make(tmp_path / "bin", "javac", "true")
    (one,), _ = found(OnlyHere(tmp_path / "bin"))
    assert (one.tool, one.version, one.home) == ("jdk", "17.0.9", str(tmp_path))


def test_a_home_variable_leads_to_a_tool_that_is_not_on_the_path(tmp_path):
    make(tmp_path / "maven" / "bin", "mvn", "echo Apache Maven 3.6.3")
    (tmp_path / "empty").mkdir()
    (one,), _ = found(OnlyHere(tmp_path / "empty", M2_HOME=str(tmp_path / "maven")))
    assert (one.version, one.plain) == ("3.6.3", False)


SHELL = {
    "git": ("git --version", r"version (\S+)"),
    "gcc": ("gcc --version | head -1", r"\) (\S+)"),
    "make": ("make --version | head -1", r"Make (\S+)"),
    "cmake": ("cmake --version | head -1", r"version (\S+)"),
    "perl": ("perl -v", r"\(v([\d.]+)\)"),
    "node": ("node --version", r"v(\S+)"),
    "npm": ("npm --version", r"(\S+)"),
    "jdk": ("java -version 2>&1", r'version "([^"]+)"'),
    "maven": ("mvn --version | sed 's/\x1b\\[[0-9;]*m//g'", r"Apache Maven (\S+)"),
    "cargo": ("cargo --version", r"cargo (\S+)"),
    "python": ("python3 --version", r"Python (\S+)"),
}
COMMANDS = {"jdk": "javac", "maven": "mvn", "python": "python3"}


def test_on_this_machine_the_survey_agrees_with_a_shell():
    here, _ = found(RealSystem(), patience=30.0)
    plain = {one.tool: one.version for one in here if one.plain}
    there = {tool: how for tool, how in SHELL.items() if shutil.which(COMMANDS.get(tool, tool))}
    said = {}
    for tool, (command, pattern) in there.items():
        answer = subprocess.run(command, shell=True, capture_output=True, text=True, check=False).stdout
        match = re.search(pattern, answer)
        assert match, f"{command} printed {answer!r}"
        said[tool] = match.group(1)
    assert plain == said
    assert {"git", "python"} <= set(said), "a machine that runs the tests has these"

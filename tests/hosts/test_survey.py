"""The survey on real Linux hosts with a real systemd, whose tools were removed, moved, added or replaced: it says what
a shell there says."""

from __future__ import annotations

import io
import json
import re
import subprocess
import tarfile
import zipfile
from pathlib import Path
from platform import machine
from types import SimpleNamespace

import pytest
from shell_says import SHELL, disagreements
from systemd_host import booted

WHEELS = Path(__file__).parents[2] / ".make" / "wheels"
PYTHON_TAG = "import sys; print('cp%d%d' % sys.version_info[:2])"
NEWER_PYTHON = sorted(Path("/root/.pyenv/versions").glob("3.1[23].*"))[-1:]

PREPARED = {
    "knot-01": r"""
        mv /usr/lib/jvm/java-17-openjdk-amd64 /opt/jdk-17
        ln -sf /opt/jdk-17/bin/java /usr/bin/java; ln -sf /opt/jdk-17/bin/javac /usr/bin/javac
        rm -f /usr/bin/gcc* /usr/bin/x86_64-linux-gnu-gcc*
    """,
    "knot-02": (
        f"mkdir -p /opt/python-new && cp -a {NEWER_PYTHON[0]}/. /opt/python-new/"
        if NEWER_PYTHON
        else "mkdir -p /opt/python-new/bin && cp /usr/bin/python3 /opt/python-new/bin/"
    )
    + r"""
        mkdir -p /opt/apache-maven && cp -aL /usr/share/maven/. /opt/apache-maven/
        rm -rf /usr/bin/mvn /usr/share/maven
    """,
    "knot-03": r"""
        printf '#!/bin/sh\nexec sleep 600\n' > /usr/bin/git
        printf '#!/bin/sh\necho GNU Make 3.81\n' > /usr/bin/make
        rm -f /usr/bin/cmake
        ln -s /etc/alternatives/cmake /usr/bin/cmake; ln -s /usr/bin/cmake /etc/alternatives/cmake
        printf '#!/bin/sh\necho loading failed >&2; exit 1\n' > /usr/lib/jvm/java-17-openjdk-amd64/bin/java
    """,
}


def packages() -> bytes:
    """The agent and what it needs, as hosts get them from a server, in one archive."""
    version = subprocess.run(["/usr/bin/python3", "-c", PYTHON_TAG], capture_output=True, text=True, check=True)
    tags = rf"(?:{version.stdout.strip()}-\w+|cp3\d+-abi3|py3-none)"
    fitting = re.compile(rf"-{tags}-(?:any|manylinux\w+_{machine()}.*)\.whl$")
    data = io.BytesIO()
    with tarfile.open(fileobj=data, mode="w") as archive:
        for wheel in sorted(WHEELS.glob("*.whl")):
            if fitting.search(wheel.name) and not wheel.name.startswith("pip-"):
                with zipfile.ZipFile(wheel) as inside:
                    for name in inside.namelist():
                        entry = tarfile.TarInfo(name)
                        entry.size = inside.getinfo(name).file_size
                        archive.addfile(entry, inside.open(name))
    return data.getvalue()


class Surveyed:
    """One host, what was done to it, and what the survey there found."""

    def __init__(self, name: str, number: int) -> None:
        self.host = booted(name, number)
        self.host.run(PREPARED[name])
        self.host.unpack("/opt/agent", packages())
        done = self.host.run("PYTHONPATH=/opt/agent python3 -m paddock_agent survey")
        assert done.returncode == 0, done.stderr
        report = json.loads(done.stdout)
        self.installations = [SimpleNamespace(**{"plain": False, **one}) for one in report["installations"]]
        self.broken = [SimpleNamespace(**one) for one in report["broken"]]

    def shell(self, line: str) -> str:
        return self.host.run(line).stdout

    def versions(self, tool: str) -> dict[str, bool]:
        """The tool's paths, and whether a plain command gets it."""
        return {one.path: one.plain for one in self.installations if one.tool == tool}

    def why(self, tool: str) -> str:
        return next((one.why for one in self.broken if one.tool == tool), "")


@pytest.fixture(scope="module")
def hosts():
    if not Path("/usr/lib/jvm/java-17-openjdk-amd64").is_dir() or not Path("/usr/share/maven").is_dir():
        pytest.skip("the hosts' tools are this machine's, which has no JDK 17 and Maven from its packages")
    made = {}
    try:
        for number, name in enumerate(PREPARED, 1):
            made[name] = Surveyed(name, number)
        yield made
    finally:
        for one in made.values():
            one.host.stop()


@pytest.mark.parametrize("name", PREPARED)
def test_the_survey_says_what_a_shell_on_that_host_says(hosts, name):
    one = hosts[name]
    compared, differing = disagreements(one.installations, one.broken, one.shell)
    assert differing == []
    assert compared == set(SHELL)


def test_a_jdk_in_another_folder_is_found_there_and_a_missing_compiler_is_not(hosts):
    one = hosts["knot-01"]
    (jdk,) = [each for each in one.installations if each.tool == "jdk" and each.plain]
    assert jdk.home == "/opt/jdk-17"
    assert one.versions("gcc") == {}


def test_two_pythons_and_a_maven_beside_the_path(hosts):
    one = hosts["knot-02"]
    assert one.versions("python")["/usr/bin/python3"]
    assert any(path.startswith("/opt/python-new/") and not plain for path, plain in one.versions("python").items())
    assert one.versions("maven") == {"/opt/apache-maven/bin/mvn": False}


def test_what_hangs_fails_or_leads_in_a_circle_is_broken_and_a_downgrade_is_seen(hosts):
    one = hosts["knot-03"]
    assert "did not answer within 10 s" in one.why("git")
    assert "leads in a circle" in one.why("cmake")
    assert "exit code 1: loading failed" in one.why("jdk")
    assert [each.version for each in one.installations if each.tool == "make"] == ["3.81"]
    assert one.versions("python"), "the rest of the survey stands"

"""What is installed apart from a checkout: the declared dependencies, the lock of the run time, the built wheels."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
import sysconfig
import time
import tomllib
import urllib.request
import venv
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest
from built_wheels import built_wheels
from processes import free_port
from waiting import until

ROOT = Path(__file__).parents[1]
OURS = {"paddock_core", "paddock_agent", "paddock_server"}


def normal(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def imported(package: Path) -> set[str]:
    found = set()
    for file in package.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Import):
                found |= {one.name.split(".")[0] for one in node.names}
            elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                found.add(node.module.split(".")[0])
    return found - set(sys.stdlib_module_names) - OURS


def pins(file: str) -> dict[str, str]:
    lines = re.findall(r"^([A-Za-z0-9_.\-]+)==([^ \\]+)", (ROOT / "requirements" / file).read_text(), re.MULTILINE)
    return {normal(name): version for name, version in lines}


@pytest.mark.parametrize("part", ["core", "agent", "server"])
def test_every_library_that_is_imported_is_declared(part):
    declared = tomllib.loads((ROOT / part / "pyproject.toml").read_text())["project"]["dependencies"]
    names = {normal(re.split(r"[\[<>=;~ ]", one)[0]) for one in declared}
    of_windows = {"pywintypes", "servicemanager", "win32api", "win32con", "win32evtlog", "win32evtlogutil", "win32job",
                  "win32security", "win32service", "win32serviceutil"}  # fmt: skip
    where = packages_distributions()
    missing = {
        module
        for module in imported(ROOT / part / f"paddock_{part}") - of_windows
        if not {normal(one) for one in where.get(module, ["?"])} & names
    }
    assert missing == set()


def test_the_lock_of_the_run_time_has_the_tested_versions_and_nothing_for_tests():
    tested, installed = pins("lock.txt"), pins("server.txt")
    assert {name: version for name, version in installed.items() if tested.get(name) != version} == {}
    assert not {"scipy", "pytest", "selenium", "hypothesis", "mypy"} & set(installed)
    for part in ("core", "agent", "server"):
        declared = tomllib.loads((ROOT / part / "pyproject.toml").read_text())["project"]["dependencies"]
        names = {normal(re.split(r"[\[<>=;~ ]", one)[0]) for one in declared if "win32" not in one}
        assert {name for name in names if not name.startswith("yellow-paddock")} <= set(installed)


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """An environment with the built wheels. The libraries are those of the tests' own environment, behind them."""
    wheels = built_wheels()
    home = tmp_path_factory.mktemp("installed") / "venv"
    venv.create(home, with_pip=False)
    site = next(home.glob("lib/python3*/site-packages"))
    assert len(wheels) == 3
    install = [sys.executable, "-m", "pip", "install", "-qq", "--disable-pip-version-check", "--no-deps"]
    subprocess.run([*install, "--target", site, *wheels], check=True, capture_output=True)
    (site / "libraries.pth").write_text(sysconfig.get_paths()["purelib"] + "\n")
    return home


def test_the_server_runs_from_its_wheels_outside_the_checkout(installed, tmp_path):
    port = free_port()
    environment = {"PADDOCK_DATA": str(tmp_path / "data"), "PATH": os.environ["PATH"], "HOME": str(tmp_path)}
    paddock = [installed / "bin" / "python", "-c", "import sys; from paddock_server.cli import main; sys.exit(main())"]
    where = subprocess.run(
        [installed / "bin" / "python", "-c", "import paddock_server; print(paddock_server.__file__)"],
        cwd=tmp_path, env=environment, capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert where.stdout.startswith(str(installed))
    link = subprocess.run(
        [*paddock, "rescue", "harbourmaster", "--url", f"http://127.0.0.1:{port}"],
        cwd=tmp_path, env=environment, capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert f"http://127.0.0.1:{port}/welcome#" in link.stdout
    log = tmp_path / "server.log"
    with log.open("wb") as out:
        server = subprocess.Popen(
            [*paddock, "serve", "--port", str(port)], cwd=tmp_path, env=environment, stdout=out, stderr=out
        )
    try:

        def get(path):
            with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=10) as answer:
                return answer.read().decode()

        def is_up():
            assert server.poll() is None, log.read_text()
            try:
                return get("/readyz")
            except OSError:
                time.sleep(0)
                return ""

        until(is_up, "the installed server")
        assert get("/livez") == '{"status": "ok"}'
        script = re.search(r'src="(/static/[^"]+\.js)"', get("/"))
        assert script and "Yellow Paddock" in get("/")
        assert len(get(script[1])) > 1000
        assert "yellow-paddock-agent" in get("/install/simple/")
        assert get("/install/paddock.sh").startswith("#!/bin/sh")
        assert f"listens at http://127.0.0.1:{port}. Its data is in {tmp_path / 'data'}" in log.read_text()
    finally:
        server.terminate()
        server.wait(30)

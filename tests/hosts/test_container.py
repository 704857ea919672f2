"""The Containerfile without an engine: its steps and its command, on a throw-away Debian host. What its steps download
comes from the tests' own environment."""

from __future__ import annotations

import json
import re
import shlex
import subprocess
from pathlib import Path

import httpx
import pytest
from installed_server import installed
from waiting import until

ROOT = Path(__file__).parents[2]
SCRIPT = ROOT / "setup" / "container.sh"
LINES = (ROOT / "setup" / "Containerfile").read_text().splitlines()


def instruction(name):
    """What follows a word of the Containerfile."""
    return [line.removeprefix(f"{name} ") for line in LINES if line.startswith(f"{name} ")]


def test_every_step_of_the_image_is_one_of_the_script():
    (run,) = instruction("RUN")
    steps = re.findall(r"container\.sh (\w+)", run)
    assert steps == ["packages", "install", "account"]
    assert [step for step in steps if f"\n{step})\n" in SCRIPT.read_text()] == steps
    wrong = subprocess.run(["sh", SCRIPT, "acount"], capture_output=True, text=True, check=False)
    assert (wrong.returncode, "packages|install|account" in wrong.stderr) == (2, True)


@pytest.fixture(scope="module")
def host():
    with installed("curlew-11", 9) as real:
        yield real


def test_the_account_of_the_image_runs_its_command(host):
    (copied,) = instruction("COPY")
    for pattern in copied.split()[:-1]:
        assert list((ROOT / "dist").glob(pattern)), f"dist/ has no {pattern}"
    made = host.run(f"cat > /root/container.sh <<'END'\n{SCRIPT.read_text()}END\nsh /root/container.sh account")
    assert made.returncode == 0, made.stderr
    variables = " ".join(instruction("ENV"))
    (account,), (entry,), (command,) = instruction("USER"), instruction("ENTRYPOINT"), instruction("CMD")
    program = shlex.join(json.loads(entry) + json.loads(command))
    as_account = f"setpriv --reuid {account} --regid {account} --clear-groups env -i PATH=/usr/bin:/bin {variables}"
    host.run(
        f"cd / && PADDOCK_HOSTS= nohup {as_account} PADDOCK_HOSTS={host.inside} {program} > /tmp/server.log 2>&1 &"
    )
    (port,) = instruction("EXPOSE")
    url = f"http://{host.inside}:{port}"

    def is_up():
        try:
            return httpx.get(f"{url}/readyz", timeout=5).status_code == 200
        except httpx.HTTPError:
            return False

    until(is_up, lambda: host.run("cat /tmp/server.log").stdout)
    healthy = json.loads(instruction("HEALTHCHECK")[0].removeprefix("CMD "))
    assert host.run(f"{as_account} {shlex.join(healthy)}").returncode == 0
    printed = host.run(f"{as_account} {json.loads(entry)[0]} rescue harbourmaster --url {url}").stdout
    link = re.search(r"/welcome#(paddock-link-\S+)", printed)
    assert link, printed
    assert httpx.get(f"{url}/", timeout=30).status_code == 200
    assert host.run("stat -c '%U %a' /data /data/paddock.sqlite3").stdout.split() == [account, "700", account, "600"]

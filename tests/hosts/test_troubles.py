"""Troubles on a real systemd host, from a table: how each is made, what must be found, and that its remedy as printed
mends it.

Each case of ``troubles/*.yaml``: ``break`` makes the trouble; ``cause`` is the word of the finding, ``says`` stands in
its sentence; the remedy's commands are run as they are printed, unless a ``person`` must act, which ``undo`` does then;
``undo`` runs in any case, to leave the host as it was. A finding is an ``agent-down`` unless ``code`` says otherwise.
"""

from __future__ import annotations

import os
import re
import time
from pathlib import Path

import pytest
import yaml
from processes import RealServer
from systemd_host import booted
from waiting import until

from paddock_standins.api_client import ApiError

NAME = "knot-01"
SERVER_NAME = "paddock.saltmarsh.example"
HOME = "/var/lib/paddock-agent"
PATH = "/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
CASES = [
    {**case, "file": file.stem}
    for file in sorted(Path(__file__).with_name("troubles").glob("*.yaml"))
    for case in yaml.safe_load(file.read_text())
]
ALL = os.environ.get("PADDOCK_TROUBLES") == "all"
PICKED = [case for case in CASES if ALL or case.get("quick")]
PATIENCE = 90.0
CLEAN_UP = "rm -rf /etc/systemd/system/$S.d; systemctl daemon-reload"
"""After each case: what a remedy left of a drop-in."""


@pytest.fixture(scope="module")
def host():
    real = booted(NAME, 3)
    real.run(f"echo '{real.outside} {SERVER_NAME}' >> /etc/hosts")
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=3, bind=host.outside, watch=2, name=SERVER_NAME)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def service(host, server):
    made = server.make_sheet(slots=1, server=server.named_url)
    done = host.run(f"cd /root && {made['command']['run']}")
    assert done.returncode == 0, done.stdout + done.stderr
    server.api.post(f"/api/v1/hosts/{NAME}/admit/")
    until(lambda: server.host(NAME)["watch"], "the watch to report")
    return re.search(r"^(\S+\.service): The service runs", done.stdout, re.MULTILINE).group(1)


def findings(server):
    found = server.api.get("/api/v1/findings/")["findings"]
    return [one for one in found if one["code"] not in ("flapping", "watch-silent", "environment-old")]


def is_well(server):
    shown = server.host(NAME)
    return shown["link"] == "connected" and shown["readiness"] == "free" and not findings(server)


def run(host, script, service):
    return host.run(
        script, PATH=PATH, S=service, H=HOME, W=f"{HOME}/work", P="/opt/paddock", A="paddock", OUTSIDE=host.outside
    )


def the_finding(server, case):
    """The finding of the case as soon as it is the one that is expected; else the last ones that there were."""
    ends = time.monotonic() + PATIENCE
    seen = []
    while time.monotonic() < ends:
        seen = findings(server) or seen
        for one in seen:
            if one["code"] == case.get("code", "agent-down") and one["about"] == case["cause"]:
                return one, seen
        until(lambda: True, "", 1)
        time.sleep(0.3)
    return None, seen


@pytest.mark.parametrize("case", PICKED, ids=[f"{one['file']}: {one['name']}" for one in PICKED])
def test_a_trouble_is_found_by_its_cause_and_its_remedy_mends_it(case, host, server, service):
    until(lambda: is_well(server), lambda: findings(server), 60)
    run(host, f"systemctl reset-failed {service}; {case['break']}", service)  # many cases in a row are many starts
    job = None
    try:
        one, seen = the_finding(server, case)
        assert one, [(each["code"], each["about"], each["sentence"]) for each in seen]
        says = case["says"].replace("$H", HOME).replace("$W", f"{HOME}/work")
        assert says in one["sentence"] + one["remedy"]["sentence"], one["sentence"]
        job = server.api.post(
            "/api/v1/jobs/", {"name": "proof", "pipeline": "almanac-docs", "terms": [], "script": "true"}
        )
        commands = one["remedy"]["commands"]
        if case.get("person"):
            assert not commands, commands
            assert one["remedy"]["sentence"]
        else:
            assert commands, "a remedy can exist, and none was given"
            for command in commands:
                done = run(host, command.replace("sudo ", ""), service)
                assert done.returncode == 0, (command, done.stdout, done.stderr)
            until(lambda: is_ended(server, job), lambda: (findings(server), server.host(NAME)["link_cause"]), PATIENCE)
    finally:
        run(host, f"{CLEAN_UP}; {case.get('undo', 'true')}", service)
    until(lambda: is_ended(server, job), lambda: (findings(server), server.host(NAME)["link_cause"]), 60)
    attempts = server.api.get(f"/api/v1/jobs/{job['id']}/")["attempts"]
    # An agent that systemd started by itself while its program was installed again refuses for the installer's sake.
    begun = [each for each in attempts if "being installed again" not in each["note"]]
    assert [each["state"] for each in begun] == ["passed"], attempts


def test_the_doctor_on_the_host_says_the_same_and_carries_its_remedy_out(host, server, service):
    until(lambda: is_well(server), lambda: findings(server), 60)
    well = run(host, "paddock-agent doctor", service)
    assert (well.returncode, well.stdout.splitlines()[0]) == (0, "Nothing is wrong."), well.stdout + well.stderr
    run(host, "echo 'http_proxy=\"http://127.0.0.1:9\"' >> /etc/paddock-agent/${S%.service}.env", service)
    run(host, f"systemctl reset-failed {service}; systemctl restart {service}", service)
    ill = run(host, "paddock-agent doctor", service)
    assert (ill.returncode, "through the proxy http://127.0.0.1:9" in ill.stdout.replace("\n", " ")) == (1, True), (
        ill.stdout
    )
    unanswered = run(host, "paddock-agent doctor --apply < /dev/null", service)
    assert unanswered.returncode != 0
    assert "http_proxy" in run(host, "cat /etc/paddock-agent/${S%.service}.env", service).stdout, (
        "nothing was done unasked"
    )
    mended = run(host, "paddock-agent doctor --apply --yes", service)
    assert (mended.returncode, "After that:\nNothing is wrong." in mended.stdout) == (0, True), mended.stdout
    until(lambda: is_well(server), lambda: findings(server), 60)


def test_an_agent_whose_server_has_moved_is_told_the_new_address(host, server, service):
    until(lambda: is_well(server), lambda: findings(server), 60)
    run(host, "sed -i 's/:[0-9]*\"/:9\"/' $H/identity.json; systemctl restart $S", service)
    until(lambda: server.host(NAME)["link"] != "connected", "the agent to be gone")
    nowhere = run(host, f"paddock-agent repair --server http://{SERVER_NAME}:8", service)
    assert (nowhere.returncode, "keeps its address" in nowhere.stderr) == (1, True), nowhere.stdout + nowhere.stderr
    moved = run(host, f"paddock-agent repair --server {server.named_url}", service)
    assert moved.returncode == 0, moved.stdout + moved.stderr
    assert run(host, "stat -c '%a %U' $H/identity.json", service).stdout.split() == ["600", "paddock"]
    until(lambda: is_well(server), lambda: findings(server), 60)


def is_ended(server, job):
    """Whether the job has passed, and all that was found has closed."""
    try:
        return not job or (server.api.get(f"/api/v1/jobs/{job['id']}/")["state"] == "passed" and is_well(server))
    except ApiError:
        return False

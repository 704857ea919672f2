"""In a real browser: a finding with several possible causes, and the report of the machine that was asked."""

from __future__ import annotations

import json
import os
import time
import urllib.request
from pathlib import Path

import pytest
from page import Page
from processes import RealAgent, RealServer
from waiting import until

from paddock_agent.doctor.evidence import Check, Evidence, Override, as_plain

NAME = "dunlin-07"
DROP_IN = "/etc/systemd/system/paddock-agent-dunlin-07.service.d/local.conf"
SERVICE = "paddock-agent-dunlin-07.service"
RUNNING = {
    "LoadState": "loaded", "ActiveState": "active", "SubState": "running", "Result": "success", "FragmentExists": "yes",
    "FragmentPath": f"/etc/systemd/system/{SERVICE}", "NRestarts": "0",
}  # fmt: skip
EVIDENCE = Evidence(
    SERVICE,
    "paddock",
    "/var/lib/paddock-agent",
    "/var/lib/paddock-agent/work",
    "http://paddock.saltmarsh.example:8200",
    has_sudo=True,
    unit=RUNNING,
    overrides=(Override(DROP_IN, 2, "PrivateNetwork", "yes"), Override(DROP_IN, 3, "ReadOnlyPaths", "/var")),
    checks=(
        Check("unit", True, "loaded"),
        Check("account", True, "paddock, user id 998, home /var/lib/paddock-agent"),
        Check("packages", True, "its packages can be loaded"),
        Check("connection", True, "a connection to paddock.saltmarsh.example:8200 is made"),
    ),
    process={"pid": "4711", "state": "S", "age": "340"},
    words=("2026-11-28 08:12:40 No connection to http://paddock.saltmarsh.example:8200 (timed out)",),
)


def post(server, path, body, key):
    asked = urllib.request.Request(
        server.url + path,
        json.dumps(body).encode(),
        {"Authorization": f"Bearer {key}", "Content-Type": "application/json"},
    )
    with urllib.request.urlopen(asked) as answer:
        return json.loads(answer.read())


def report(key, server, evidence=None):
    state = {"name": SERVICE, "family": "linux", "running": "running", "starts_at_boot": True, "account": "paddock"}
    body = {"host": NAME, "at": time.time(), "state": state, "uptime": 9000.0, "boot": "b", "evidence": evidence}
    return post(server, "/agent/v1/watch", body, key)


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    """One of its own: the yard of other tests begins empty."""
    real = RealServer(tmp_path_factory.mktemp("server"))
    yield real
    real.stop()


@pytest.fixture
def watch_key(server, tmp_path):
    """The key of the watch of a host whose agent has been there and has gone."""
    agent = RealAgent(server, tmp_path / "agent", NAME)
    assert agent.join(server.make_pass()).returncode == 0
    server.api.post(f"/api/v1/hosts/{NAME}/admit/")
    agent.start()
    until(lambda: server.host(NAME)["link"] == "connected", "the agent to connect")
    agent.stop()
    until(lambda: server.host(NAME)["link"] == "stopped", "the agent to be gone")
    key = json.loads((tmp_path / "agent" / "identity.json").read_text())["key"]
    return post(server, "/agent/v1/watch-key", {}, key)["key"]


def test_several_causes_are_listed_and_the_machine_is_asked(browser, server, watch_key):
    assert report(watch_key, server)["examine"]
    report(watch_key, server, as_plain(EVIDENCE))
    page = Page(browser, server.url)
    page.come_in()
    item = f"[data-finding=agent-down][data-about-host={NAME}]"
    page.says("one of them is in the way", item)
    page.button("Evidence and remedy", item).click()
    page.says("Which of the lines it is.", item)
    page.says(f"{DROP_IN} line 2: PrivateNetwork=yes", f"{item} [data-possible]")
    first = page.one(f"{item} [data-possible] .copy-text code").text
    assert first.startswith(f"sudo sh -c 'sed -i 3d {DROP_IN} && systemctl daemon-reload")
    page.button("Ask the machine", item).click()
    page.says("Requested: its watch answers within a minute", item)
    assert report(watch_key, server)["examine"]
    report(watch_key, server, as_plain(EVIDENCE))
    page.button("Ask the machine", item)
    page.button("Show its report", item).click()
    page.says("ReadOnlyPaths=/var", f"{item} .report")
    if folder := os.environ.get("PADDOCK_PICTURES"):
        browser.set_window_size(1280, 887)
        browser.get(f"{server.url}/hosts/{NAME}")
        page.says("Which of the lines it is.", item)
        browser.save_screenshot(str(Path(folder, "finding.png")))

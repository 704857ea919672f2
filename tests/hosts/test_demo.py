"""The demo, as a new user meets it."""

from __future__ import annotations

import json

import psutil
import pytest
from processes import free_port

from paddock_standins.api_client import Api
from paddock_standins.demo import REAL_HOST, Demo, DemoFailed


def told(demo):
    """The API with the demo's own token."""
    login = json.loads((demo.data / "login.json").read_text())
    return Api(demo.url, login["token"]), login


def test_three_jobs_eight_hosts_and_nothing_left_when_it_stops(tmp_path, capsys):
    demo = Demo(tmp_path / "demo", free_port())
    try:
        demo.start()
        api, login = told(demo)
        said = capsys.readouterr().out
        assert demo.url in said
        assert f"log in as {login['user']} (administrator), password {login['password']}" in said
        hosts = {one["name"]: one for one in api.get("/api/v1/hosts/")["results"]}
        assert len(hosts) == 8
        assert {one["link"] for one in hosts.values()} == {"connected"}
        assert [name for name, one in hosts.items() if one["standing"] == "at the gate"] == ["sloop-01"]
        systems = [
            one["facts"]["os"] for one in hosts.values() if one["standing"] == "admitted" and one["name"] != REAL_HOST
        ]
        assert sorted(systems) == ["linux", "linux", "macos", "macos", "windows", "windows"]
        proof, mac, waiting = sorted(api.get("/api/v1/jobs/")["results"], key=lambda one: one["id"])
        assert (proof["state"], proof["attempts"][0]["host"]) == ("passed", REAL_HOST)
        log = api.get_bytes(f"/api/v1/jobs/{proof['id']}/log/").decode()
        assert f"folder: {proof['attempts'][0]['folder']}" in log
        assert (mac["state"], mac["attempts"][0]["host"]) == ("running", "russet-01")
        assert (waiting["state"], waiting["reason_nearest"]) == ("waiting", "release-signing")
        api.post("/api/v1/hosts/sloop-01/turn-away/")
        children = [child for _, child in demo._children]
        with pytest.raises(DemoFailed, match=f"Port {demo.port} is taken"):
            Demo(tmp_path / "other", demo.port).start()
    finally:
        demo.stop()
    assert not any(psutil.pid_exists(child.pid) for child in children)

    again = Demo(tmp_path / "demo", free_port())
    try:
        again.start()
        api, same = told(again)
        assert same == login
        assert len(api.get("/api/v1/jobs/")["results"]) == 3
        assert "sloop-01" not in {one["name"] for one in api.get("/api/v1/hosts/")["results"]}
    finally:
        again.stop()


def test_a_part_that_ends_is_said_with_its_last_words(tmp_path):
    demo = Demo(tmp_path / "demo", free_port())
    demo._spawn("agent", ["sh", "-c", "echo the disk is full >&2; exit 7"])
    demo._children[0][1].wait()
    with pytest.raises(DemoFailed, match=r"The agent has ended \(exit code 7\): the disk is full"):
        demo.wait()
    demo.stop()

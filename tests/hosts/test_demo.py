"""The demo, as a new user meets it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections import Counter
from contextlib import contextmanager, nullcontext

import psutil
import pytest
from processes import BIN, free_port
from waiting import until

from paddock_core.reasons import ReasonKind
from paddock_standins import demo as demo_module
from paddock_standins.api_client import Api
from paddock_standins.bring_up_story import BROUGHT_IN, REAL_HOST, STILL_EXPECTED
from paddock_standins.demo import Demo
from paddock_standins.description import all_hosts
from paddock_standins.parts import DemoFailed
from paddock_standins.routing_story import AT_WORK, QUEUE
from paddock_standins.running_story import LONG_RUN
from paddock_standins.standby_story import SLEEPERS, WOKEN_FOR
from paddock_standins.story import Stage, Story, StoryFailed, tell_all
from paddock_standins.toolchain_story import ASKING, KITS
from paddock_standins.troubles import EXPECTED, MAST, OFFICE
from paddock_standins.upkeep_story import CHORE, CLEAR, MAINTENANCE

CHORE_STATES = {"done", "draining", "ran but not there", "failed"}


def in_terminal(demo, name, line):
    command = [demo.parts.bin / "paddock-terminal", name, "--data", demo.data]
    return subprocess.run(command, input=f"{line}\n", capture_output=True, text=True, check=True).stdout


def shown(demo):
    """The API with the demo's own token."""
    login = json.loads((demo.data / "login.json").read_text())
    return Api(demo.url, login["token"]), login


def test_jobs_hosts_troubles_and_nothing_left_when_it_stops(tmp_path, capsys, monkeypatch):
    demo = Demo(tmp_path / "demo", free_port())
    try:
        demo.start()
        assert Api(demo.url).is_up(), "it is served before it is filled"
        assert demo.fill() == []
        api, login = shown(demo)
        printed = capsys.readouterr().out
        assert demo.url in printed
        assert f"log in as {login['user']} (administrator), password {login['password']}" in printed
        hosts = {one["name"]: one for one in api.get("/api/v1/hosts/")["results"]}
        assert len(hosts) == 36
        away = {name for name, one in hosts.items() if one["link"] != "connected" and name not in SLEEPERS}
        assert away == {"ketch-02", "dunlin-01", "dunlin-02", "skiff-01"}
        assert {one["host"] for one in api.get("/api/v1/standby/")["sleepers"]} == set(SLEEPERS)
        until(
            lambda: any(
                one["name"] == WOKEN_FOR["name"] and one["state"] == "passed"
                for one in api.get("/api/v1/jobs/?page_size=200")["results"]
            ),
            "the job that wakes its host",
        )
        found = {one["code"] for one in api.get("/api/v1/findings/")["findings"]}
        assert len(EXPECTED) >= 8
        assert found >= EXPECTED
        at_gate = [name for name, one in hosts.items() if one["standing"] == "at the gate"]
        assert at_gate == ["ketch-02", "sloop-01"]
        systems = [
            one["facts"]["os"] for one in hosts.values() if one["standing"] == "admitted" and one["name"] != REAL_HOST
        ]
        assert sorted(systems) == ["linux"] * 12 + ["macos"] * 11 + ["windows"] * 10
        jobs = sorted(api.get("/api/v1/jobs/?page_size=200")["results"], key=lambda one: one["id"])
        asking = {name for _, name, _ in ASKING}
        assert {one["state"] for one in jobs if one["name"] in asking} == {"passed"}
        queue = [one for one in jobs if one["name"] in {str(job["name"]) for job in [*QUEUE, *AT_WORK]}]
        assert {one["reason_kind"] for one in jobs if one["state"] == "waiting"} == {
            one.value for one in set(ReasonKind) - {ReasonKind.NO_HOSTS, ReasonKind.NEXT, ReasonKind.WAKING}
        }
        sources = {one["pipeline"]: one["trouble"] for one in api.get("/api/v1/sources/")["results"]}
        assert sources == {"pilot-mobile": "", "tide-gauge-firmware": ""}
        proof, mac, waiting = [one for one in jobs if one not in queue and one["name"] not in asking][:3]
        assert [(one["name"], one["state"]) for one in jobs if one["pipeline"] == "bring-up"] == [
            ("prove bramley-02", "passed"),
            ("prove dinghy-02", "passed"),
        ]
        phases = {one["title"]: one["phase"] for one in api.get("/api/v1/bring-ups/?all=true")["results"]}
        finished = ["bramley-02", "dinghy-02"]
        assert phases == {**dict.fromkeys(finished, "finished"), "ketch-02": "failed", "russet-02": "expected"}
        kept = {name: one["facts"]["kept_by"] for name, one in hosts.items()}
        assert kept["bramley-02"].startswith("yellow-paddock.agent.")
        assert kept["dinghy-02"].startswith("paddock-agent-")
        printed = in_terminal(demo, "ketch-02", "paddock-agent service install --user '.\\build' --ask-password")
        assert "The service runs as .\\build" in printed
        until(lambda: api.get("/api/v1/hosts/ketch-02/")["surveyed_at"], "the remedy to work")
        assert (proof["state"], proof["attempts"][0]["host"]) == ("passed", REAL_HOST)
        log = api.get_bytes(f"/api/v1/jobs/{proof['id']}/log/").decode()
        assert f"folder: {proof['attempts'][0]['folder']}" in log
        assert (mac["state"], mac["attempts"][0]["host"]) == ("running", "russet-01")
        assert (waiting["state"], waiting["reason_nearest"]) == ("waiting", "release-signing")
        # Runs: one that passed and one that failed, and what differed; one that was lost and tried again.
        passed, failed = [one for one in jobs if one["name"] == "build-and-test"]
        assert (passed["state"], failed["state"]) == ("passed", "failed")
        between = f"first={passed['id']}-1&second={failed['id']}-1"
        differences = {one["name"] for one in api.get(f"/api/v1/compare-runs/?{between}")["differences"]}
        assert {"TIDE_STATION", "commit", "test"} <= differences
        number = next(one["id"] for one in jobs if one["name"] == LONG_RUN["name"])
        lost = until(lambda: (job := api.get(f"/api/v1/jobs/{number}/"))["ended_at"] and job, "its second attempt", 180)
        assert [one["state"] for one in lost["attempts"]] == ["lost", "passed"]
        # A chore: it waits for what runs on one host, and says of the others what it came to.
        (rolling,) = api.get("/api/v1/chore-runs/")["results"]
        until(lambda: api.get(f"/api/v1/chore-runs/{rolling['id']}/")["counts"].keys() == CHORE_STATES, "it to roll")
        came_to = {one["host"]: one for one in api.get(f"/api/v1/chore-runs/{rolling['id']}/")["hosts"]}
        assert "replay-storm" in came_to["curlew-03"]["working"][0]
        assert all(one["changed"] for one in came_to.values() if one["state"] == "done")
        assert {one["what"] for one in api.get("/api/v1/maintenance-windows/")["results"]} == {
            what for _, what, *_ in MAINTENANCE
        }
        tools = {one["name"]: one for one in api.get("/api/v1/toolchains/")["tools"]}
        assert (len(tools["arm-gcc"]["hosts"]), tools["arm-gcc"]["asked"]) == (1, 1), "thin cover"
        assert tools["jdk"]["missed"] and tools["jdk"]["changed"], "drift"
        assert tools["cmake"]["version"].count(-1) == 1, "a broken installation"
        # One trouble is walked through, as docs/health.md has it: what its remedy says is pasted, and it closes.
        one = next(one for one in api.get("/api/v1/findings/")["findings"] if one["hosts"] == ["dunlin-01"])
        for command in one["remedy"]["commands"]:
            in_terminal(demo, "dunlin-01", command)
        until(lambda: api.get(f"/api/v1/findings/{one['id']}/")["closed_at"], "the finding to close")
        assert api.get("/api/v1/hosts/dunlin-01/")["link"] == "connected"
        (forecast,) = api.get("/api/v1/watch/")["forecasts"]
        assert forecast["host"] == "russet-01"
        until(lambda: list(demo.received.glob("*-webhook.json")), "the webhook to be called")
        events = json.loads(min(demo.received.glob("*-webhook.json")).read_text())
        assert {event["specversion"] for event in events} == {"1.0"}
        until(lambda: list(demo.received.glob("*-mail.eml")), "the mail to arrive")
        api.post("/api/v1/hosts/sloop-01/turn-away/")
        children = [child for _, child in demo.parts.children]
        monkeypatch.setattr(demo_module, "PORT_PATIENCE", 0.5)
        with pytest.raises(DemoFailed, match=f"Port {demo.port} is taken"):
            Demo(tmp_path / "other", demo.port).start()
    finally:
        demo.stop()
    assert not any(psutil.pid_exists(child.pid) for child in children)

    again = Demo(tmp_path / "demo", free_port())
    try:
        again.start()
        assert again.fill() == []
        api, same = shown(again)
        assert same == login
        runs = 2 + 1  # build-and-test twice, and one that was lost
        expected = 5 + len(ASKING) + len(QUEUE) + len(AT_WORK) + 2 + runs + 1  # and the one that wakes its host
        jobs = api.get("/api/v1/jobs/?page_size=200")["results"]
        assert len([one for one in jobs if one["pipeline"] not in ("chore", "rollout")]) == expected
        until(lambda: api.get("/api/v1/hosts/ketch-02/")["link"] == "connected", "its service to be there again")
        assert "sloop-01" not in {one["name"] for one in api.get("/api/v1/hosts/")["results"]}
    finally:
        again.stop()


def what_there_is(api):
    """The demo, counted."""
    jobs = api.get("/api/v1/jobs/?page_size=1000")["results"]
    sheets = api.get("/api/v1/bring-ups/?all=true")["results"]
    asked = Counter(
        (one["pipeline"], one["name"]) for one in jobs if one["pipeline"] not in ("chore", "bring-up", "rollout")
    )
    return {
        "jobs": asked,
        "hosts": {one["name"] for one in api.get("/api/v1/hosts/")["results"]},
        "kits": Counter(one["name"] for one in api.get("/api/v1/kits/")["results"]),
        "chores": Counter(one["name"] for one in api.get("/api/v1/chores/")["results"]),
        "chore runs": len(api.get("/api/v1/chore-runs/")["results"]),
        "maintenance windows": Counter(one["what"] for one in api.get("/api/v1/maintenance-windows/")["results"]),
        "sources": Counter(one["url"].rpartition("/")[2] for one in api.get("/api/v1/sources/")["results"]),
        "rules": Counter(one["name"] for one in api.get("/api/v1/notification-rules/")["rules"]),
        "sheets": Counter(sheet["title"] for sheet in sheets if sheet["phase"] != "given up"),
        "found": {one["code"] for one in api.get("/api/v1/findings/")["findings"]} & EXPECTED,
    }


def wanted():
    """The same as it is to be."""
    jobs = [*QUEUE, *AT_WORK, LONG_RUN, WOKEN_FOR, *({"pipeline": one[0], "name": one[1]} for one in ASKING)]
    more = [
        ("tide-gauge-firmware", "prove-toolchain"), ("pilot-mobile", "build-app"),
        ("harbour-chart-desktop", "sign-installer"), ("pilot-mobile", "build-for-phones"),
        ("pilot-mobile", "phone-tests"), *[("tide-gauge-firmware", "build-and-test")] * 2,
    ]  # fmt: skip
    return {
        "jobs": Counter([(str(job["pipeline"]), str(job["name"])) for job in jobs] + more),
        "hosts": {one.name for one in all_hosts() if one.name != STILL_EXPECTED} | {REAL_HOST},
        "kits": Counter(str(one["name"]) for one in KITS),
        "chores": Counter(str(one["name"]) for one in (CHORE, CLEAR)),
        "chore runs": 1,
        "maintenance windows": Counter(what for _, what, *_ in MAINTENANCE),
        "sources": Counter(["tide-gauge-firmware.git", "pilot-mobile.git"]),
        "rules": Counter(str(one["name"]) for one in (OFFICE, MAST)),
        "sheets": Counter([*BROUGHT_IN, STILL_EXPECTED]),
        "found": EXPECTED,
    }


@contextmanager
def busy_machine():
    """Others keep all cores busy."""
    burn = "while True: sum(range(10**6))"
    burners = [subprocess.Popen([sys.executable, "-c", burn]) for _ in range(os.cpu_count() or 2)]
    try:
        yield
    finally:
        for one in burners:
            one.kill()
            one.wait()


def begun(data, port):
    """The demo as `make demo` starts it, and a way to wait for a line of it."""
    log = data.parent / f"demo-{time.monotonic_ns()}.log"
    with log.open("wb") as out:
        process = subprocess.Popen([BIN / "paddock-demo", "--data", data, "--port", str(port)], stdout=out, stderr=out)

    def says(text):
        assert process.poll() is None, log.read_text()
        return text in log.read_text()

    return process, says


# Where it is cut off: while machines join, in the middle of the bring-ups, while builds run, nearly at its end.
CUTS = ("[1/", "[3/", "[6/", "[14/")


def test_one_that_is_killed_in_the_middle_on_a_busy_machine_is_whole_after_all(tmp_path):
    data, port = tmp_path / "demo", free_port()
    for number, cut in enumerate(CUTS):
        # The first start does the most at once: it is the one that fails where cores are short.
        with busy_machine() if number == 0 else nullcontext():
            process, says = begun(data, port)
            until(lambda says=says, cut=cut: says(cut), f"the demo to get as far as {cut}", 600)
        process.kill()
        process.wait()
    process, says = begun(data, port)
    try:
        until(lambda: says("The demo is whole."), "the demo to be whole", 900)
        login = json.loads((data / "login.json").read_text())
        there = what_there_is(Api(f"http://127.0.0.1:{port}", login["token"]))
        assert there == wanted()
    finally:
        process.terminate()
        process.wait(60)


def test_a_story_that_fails_is_named_and_the_rest_stands():
    printed, all_shown = [], []

    def fails(stage):
        raise StoryFailed("waited for what never comes")

    stories = [Story("first", all_shown.append), Story("broken", fails), Story("last", all_shown.append)]
    stage = Stage(None, None, "", "", "", None, None, lambda: None)
    assert tell_all(stories, stage, printed.append) == ["broken"]
    assert len(all_shown) == 2
    assert any("broken: failed, the rest goes on: waited for what never comes" in line for line in printed)


def test_a_part_that_ends_is_said_with_its_last_words(tmp_path):
    demo = Demo(tmp_path / "demo", free_port())
    demo.parts.spawn("agent", ["sh", "-c", "echo the disk is full >&2; exit 7"])
    demo.parts.children[0][1].wait()
    with pytest.raises(DemoFailed, match=r"The agent has ended \(exit code 7\): the disk is full"):
        demo.wait()
    demo.stop()

"""What goes wrong with a real service on a real host: each trouble ends in its own finding, whose remedy closes it."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import urllib.error
import urllib.request
from base64 import b64encode

import pytest
from processes import RealServer
from systemd_host import booted
from waiting import until

AGENT = "/usr/local/bin/paddock-agent"
HOME = "/var/lib/paddock-agent"
NAME = "knot-01"
AHEAD = 7200
CLOCK_AHEAD = f"""
#define _GNU_SOURCE
#include <dlfcn.h>
#include <time.h>
int clock_gettime(clockid_t which, struct timespec *now) {{
    static int (*real)(clockid_t, struct timespec *);
    if (!real) real = dlsym(RTLD_NEXT, "clock_gettime");
    int done = real(which, now);
    if (!done && which == CLOCK_REALTIME) now->tv_sec += {AHEAD};
    return done;
}}
"""
"""The namespaces of a host have the clock of this machine. So its agent gets another: the nearest that can be had."""


@pytest.fixture(scope="module")
def host():
    real = booted(NAME)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=3, bind=host.outside, watch=2)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def service(host, server):
    """A host that was brought up as a service and let in; its watch reports. Gives the service's name."""
    made = server.make_sheet(slots=1)
    done = host.run(f"cd /root && {made['command']['run']}")
    assert done.returncode == 0, done.stdout + done.stderr
    until(lambda: server.steps(made["sheet"])["survey"]["state"] == "done", "the survey")
    server.api.post(f"/api/v1/hosts/{NAME}/admit/")
    until(lambda: server.host(NAME)["watch"], "the watch to report")
    return re.search(r"^(\S+\.service): The service runs", done.stdout, re.MULTILINE).group(1)


@pytest.fixture(autouse=True)
def well(server, service):
    """Every test begins with a host that is connected, and has no finding of its own."""
    until(lambda: server.host(NAME)["link"] == "connected", "the host to be connected")
    left: list[str] = []

    def is_well():
        # These tests make its link come and go; that this is found too is right.
        found = [one for one in server.api.get("/api/v1/findings/")["findings"] if one["code"] != "flapping"]
        left[:] = [f"{one['code']}: {one['sentence']}" for one in found]
        return not left

    until(is_well, left)


def found(server, code):
    """The finding, as soon as it opens."""
    return until(lambda: server.finding(code, NAME), f"the finding {code}, instead of {codes(server)}")


def codes(server):
    return [one["code"] for one in server.api.get("/api/v1/findings/")["findings"]]


def closed(server, code):
    until(lambda: server.finding(code, NAME) is None, f"{code} to close")
    past = server.api.get("/api/v1/findings/?closed=true")["findings"]
    assert any(one["code"] == code and one["closed_at"] for one in past)


def remedied(host, finding):
    """Runs the commands of a remedy as they stand."""
    for command in finding["remedy"]["commands"]:
        done = host.run(command.replace("sudo ", ""), PATH="/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin")
        assert done.returncode == 0, (command, done.stdout, done.stderr)


def watch_of(service):
    return service.removesuffix(".service").replace("agent", "watch", 1)


def process(host, service):
    return host.run(f"systemctl show {service} --property=MainPID --value").stdout.strip()


def test_the_watch_reports_with_a_key_that_can_do_nothing_else(host, server, service):
    watch = server.host(NAME)["watch"]
    assert (watch["running"], watch["account"], watch["starts_at_boot"]) == ("running", "paddock", True)
    assert watch["service"] == service
    assert watch["uptime"] > 0
    watch = watch_of(service)
    assert host.run(f"systemctl is-enabled {watch}.timer").stdout.strip() == "enabled"
    checked = host.run(f"systemd-analyze verify /etc/systemd/system/{watch}.service /etc/systemd/system/{watch}.timer")
    assert checked.stderr.strip() == ""
    folder = f"/var/lib/paddock-watch/{watch}"
    assert host.run(f"stat -c '%a %U' {folder} {folder}/watch.json").stdout.split() == ["700", "root", "600", "root"]
    assert host.run(f"runuser -u paddock -- cat {folder}/watch.json").returncode != 0
    key = json.loads(host.run(f"cat {folder}/watch.json").stdout)["key"]
    for path in ("/agent/v1/leave", "/agent/v1/watch-key", "/api/v1/hosts/"):
        asked = urllib.request.Request(
            server.url + path, b"{}" if "agent" in path else None, {"Authorization": f"Bearer {key}"}
        )
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(asked)
        assert refused.value.code == 401
    assert key not in server.log()
    done = host.run(f"{AGENT} watch report")
    assert (done.returncode, "The service runs as paddock" in done.stdout) == (0, True), done.stderr


def test_killed(host, server, service):
    # systemd starts it again within seconds, and its watch soon tells more: neither is to come before the look at it.
    watch, unit = watch_of(service), f"/run/systemd/system/{service}.d"
    host.run(
        f"systemctl stop {watch}.timer; mkdir -p {unit}; printf '[Service]\nRestart=no\n' > {unit}/killed.conf; "
        f"systemctl daemon-reload; kill -9 {process(host, service)}"
    )
    until(lambda: server.host(NAME)["link"] == "lost", "the loss")
    one = found(server, "agent-ended")
    assert (one["severity"], f"{AGENT.rsplit('/', 1)[1]} service start" in one["remedy"]["commands"]) == (
        "urgent",
        True,
    )
    remedied(host, one)
    closed(server, "agent-ended")
    host.run(f"rm -r {unit}; systemctl daemon-reload; systemctl start {watch}.timer")


def test_stopped_and_stopped_on_purpose(host, server, service):
    host.run(f"systemctl stop {service}")
    one = found(server, "service-stopped")
    assert "The machine is up. The agent's service was stopped" in one["sentence"]
    steps = {step["name"]: step for step in server.host(NAME)["conditions"]}
    assert (steps["Connected"]["mark"], steps["Service running"]["mark"]) == ("broken", "broken")
    remedied(host, one)
    closed(server, "service-stopped")
    until(lambda: server.host(NAME)["link"] == "connected", "the host to be connected")
    host.run(f"{AGENT} service stop")
    until(lambda: (server.finding("service-stopped") or {}).get("severity") == "note", "it to be a note")
    host.run(f"{AGENT} service start")


def test_disabled(host, server, service):
    host.run(f"systemctl disable {service}")
    one = found(server, "service-disabled")
    assert (one["severity"], one["remedy"]["commands"]) == ("soon", [f"systemctl enable {service}"])
    remedied(host, one)
    closed(server, "service-disabled")


def test_its_account_is_gone(host, server, service):
    host.run(f"systemctl stop {service}; userdel --force paddock; systemctl start {service}")
    one = found(server, "agent-down")
    assert "The account paddock, which the service runs under, does not exist" in one["sentence"]
    assert any("status 217" in each["text"] for each in one["evidence"])
    assert one["remedy"]["commands"][0].startswith("useradd ")
    remedied(host, one)
    closed(server, "agent-down")


def test_its_program_is_gone(host, server, service):
    python = host.run(f"systemctl show {service} --property=ExecStart").stdout.partition("path=")[2].partition(" ;")[0]
    host.run(f"mv {python} {python}.away; systemctl restart {service}")
    one = found(server, "agent-down")
    assert (one["about"], python in one["sentence"]) == ("program", True)
    remedied(host, one)
    closed(server, "agent-down")


def test_it_hangs(host, server, service):
    host.run(f"kill -STOP {process(host, service)}")
    one = found(server, "agent-down")
    assert "stopped by a signal (SIGSTOP)" in one["sentence"]
    assert server.host(NAME)["link_cause"].startswith("The agent was silent for longer than the grace")
    remedied(host, one)
    closed(server, "agent-down")


def test_its_network_is_cut(host, server, service):
    inside = host.run("ip -o link show type veth").stdout.split(": ")[1].split("@")[0]
    host.run(f"ip link set {inside} down")
    one = found(server, "machine-silent")
    assert "The machine is down, or cut off" in one["sentence"]
    assert {"Connected", "Service running"} <= {step["name"] for step in server.host(NAME)["conditions"]}
    host.run(f"ip link set {inside} up")
    closed(server, "machine-silent")


def test_its_disk_is_full(host, server, service):
    # Mounts of a host like this do not reach services that are running already.
    mounted = host.run(
        f"systemctl stop {service}; mount -t tmpfs -o size=1500m tmpfs {HOME}/work && chown paddock: {HOME}/work && "
        f"systemctl start {service} && fallocate -l 1000m {HOME}/work/old-charts"
    )
    assert mounted.returncode == 0, mounted.stderr
    one = found(server, "disk-full")
    assert f"{HOME}/work" in one["evidence"][0]["text"]
    remedied(host, one)
    steps = {step["name"]: step["mark"] for step in server.host(NAME)["conditions"]}
    assert steps["Disk free"] == "broken"
    host.run(f"rm {HOME}/work/old-charts")
    closed(server, "disk-full")
    host.run(f"systemctl stop {service}; umount {HOME}/work; systemctl start {service}")


def test_its_work_folder_is_closed(host, server, service):
    host.run(f"chown root: {HOME}/work; chmod 700 {HOME}/work")
    one = found(server, "unable-to-work")
    assert f"The work folder {HOME}/work is closed to the account paddock" in one["sentence"]
    assert server.host(NAME)["readiness"] == "unable to work"
    remedied(host, one)
    closed(server, "unable-to-work")
    until(lambda: server.host(NAME)["readiness"] == "free", "the host to be free")


def test_its_clock_is_off(host, server, service, tmp_path):
    if not shutil.which("gcc"):
        pytest.skip("the agent's clock is moved by a library that is compiled here: gcc is missing")
    source, library = tmp_path / "ahead.c", tmp_path / "ahead.so"
    source.write_text(CLOCK_AHEAD)
    subprocess.run(["gcc", "-shared", "-fPIC", "-o", library, source, "-ldl"], check=True)
    written = host.run('echo "$LIBRARY" | base64 -d > /opt/ahead.so', LIBRARY=b64encode(library.read_bytes()).decode())
    assert written.returncode == 0, written.stderr
    folder = f"/etc/systemd/system/{service}.d"
    host.run(
        f"mkdir -p {folder}; printf '[Service]\\nEnvironment=LD_PRELOAD=/opt/ahead.so\\n' > {folder}/clock.conf; "
        f"systemctl daemon-reload; systemctl restart {service}"
    )
    one = found(server, "clock-off")
    assert "2 hours ahead of the server's" in one["sentence"]
    assert one["severity"] == "urgent"
    assert "timedatectl set-ntp true" in one["remedy"]["commands"][0]
    host.run(f"rm -r {folder}; systemctl daemon-reload; systemctl restart {service}")
    closed(server, "clock-off")


def test_the_watch_is_silent(host, server, service):
    timer = service.removesuffix(".service").replace("agent", "watch", 1) + ".timer"
    host.run(f"systemctl stop {timer}")
    one = found(server, "watch-silent")
    remedied(host, one)
    closed(server, "watch-silent")


def test_the_watch_starts_what_should_run_where_the_paddock_allows_it(host, server, service):
    server.api.patch("/api/v1/paddocks/shoreline/", {"watch_may_start": True})
    try:
        before = process(host, service)
        host.run(f"systemctl stop {service}")
        until(lambda: process(host, service) not in ("0", before), "the watch to start it")
        until(lambda: server.host(NAME)["link"] == "connected", "the host to be connected")
        wrote = server.api.get(f"/api/v1/logbook/?thing={service}")["results"]
        assert [(one["who"], one["verb"]) for one in wrote] == [(f"the watch of {NAME}", "started")]
        host.run(f"{AGENT} service stop")
        one = found(server, "service-stopped")
        assert one["remedy"]["action"] == "request start"
        server.api.post(f"/api/v1/findings/{one['id']}/act/")
        closed(server, "service-stopped")
    finally:
        server.api.patch("/api/v1/paddocks/shoreline/", {"watch_may_start": False})


def test_watched_services(host, server, service):
    host.run(
        "printf '[Service]\\nExecStart=/bin/sleep infinity\\n' > /etc/systemd/system/tide-db.service; "
        "systemctl daemon-reload; systemctl start tide-db"
    )
    server.api.patch("/api/v1/paddocks/shoreline/", {"services": ["tide-db"]})

    def running():
        return {one["name"]: one for one in server.host(NAME)["watched"]}.get("tide-db", {}).get("running")

    until(lambda: running() == "running", "the service to be watched")
    number = server.submit("echo charted", ["service tide-db running"])
    until(lambda: server.job(number)["state"] == "passed", "the job to pass")
    host.run("systemctl stop tide-db")
    one = found(server, "watched-service-down")
    waits = server.submit("echo charted", ["service tide-db running"])
    reason = until(lambda: server.job(waits)["reason"], "a reason")
    assert "The service tide-db runs on no host: it is stopped" in reason
    server.api.post(f"/api/v1/findings/{one['id']}/act/")
    tried = until(lambda: server.host(NAME)["watched"][0]["tried"]["why"], "what came of it")
    assert "tide-db" in tried
    assert "polkit" in server.host(NAME)["watched"][0]["tried"]["remedy"][0]
    host.run(f"{AGENT} service install --user root")
    until(lambda: server.host(NAME)["facts"]["user"] == "root", "the agent to run as root")
    server.api.post(f"/api/v1/hosts/{NAME}/service/", {"name": "tide-db", "verb": "start"})
    closed(server, "watched-service-down")
    until(lambda: server.job(waits)["state"] == "passed", "the waiting job to pass")
    server.api.patch("/api/v1/paddocks/shoreline/", {"services": []})
    host.run(f"{AGENT} service install --user paddock")


def test_restarted_while_its_agent_was_started_by_hand(host, server, service):
    host.run(f"{AGENT} service uninstall && {AGENT} watch install")
    host.run(f"setsid {AGENT} run > /tmp/by-hand.log 2>&1 < /dev/null &")
    assert found(server, "started-by-hand")["severity"] == "note"
    host.power_off()
    until(lambda: server.host(NAME)["link"] == "lost", "the loss")
    host.boot()
    one = found(server, "gone-after-reboot")
    assert "The machine was restarted" in one["sentence"]
    remedied(host, one)
    closed(server, "gone-after-reboot")

"""What jobs can do to a host whose agent is a service: a reboot under them, an agent they end, a disk they fill."""

from __future__ import annotations

import re

import pytest
from processes import RealServer
from systemd_host import booted
from waiting import until

NAME = "dunlin-01"
HOME = "/var/lib/paddock-agent"
OVER = ("passed", "failed", "cancelled", "timed out", "lost")


@pytest.fixture(scope="module")
def host():
    real = booted(NAME)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=2, lease=600, bind=host.outside)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def service(host, server):
    """The host was brought up and let in. Gives the name of its agent's service."""
    made = server.make_sheet(slots=2)
    done = host.run(f"cd /root && {made['command']['run']}")
    assert done.returncode == 0, done.stdout + done.stderr
    server.api.post(f"/api/v1/hosts/{NAME}/admit/")
    until(lambda: server.steps(made["sheet"])["prove"]["state"] == "done", "the proof job")
    return re.search(r"^(\S+\.service): The service runs", done.stdout, re.MULTILINE).group(1)


def log_of(server, number):
    return server.api.get_bytes(f"/api/v1/jobs/{number}/log/").decode()


def over(server, number):
    return until(lambda: (job := server.job(number))["state"] in OVER and job, f"job {number} to end")


def processes_named(host, word):
    return host.run(f"pgrep -f '{word}'").stdout.split()


def test_a_reboot_costs_the_attempt_and_not_the_job(host, server, service):
    number = server.submit("echo $PADDOCK_ATTEMPT; [ $PADDOCK_ATTEMPT = $PADDOCK_JOB-2 ] || sleep 6001", retries=1)
    until(lambda: log_of(server, number), "the job to run")
    host.power_off()
    until(lambda: server.host(NAME)["link"] == "lost", "the host to be lost")
    assert server.job(number)["state"] == "running", "it may be back in time"
    host.boot()
    job = over(server, number)
    first, second = job["attempts"]
    assert (job["state"], first["state"], second["state"]) == ("passed", "lost", "passed")
    assert "came back without it" in first["note"], first["note"]
    assert (
        server.api.get(f"/api/v1/jobs/{number}/attempts/1/")["facts"]["boot"]
        != (server.api.get(f"/api/v1/jobs/{number}/attempts/2/")["facts"]["boot"])
    )


def test_a_job_may_not_stop_the_service_and_one_that_kills_the_agent_is_lost(host, server, service):
    refused = server.submit(f"systemctl stop {service}")
    job = over(server, refused)
    assert (job["state"], server.host(NAME)["link"]) == ("failed", "connected")
    asked = f"systemctl show {service} --property=MainPID --value"
    agent = until(lambda: int(host.run(asked).stdout.strip() or 0), "the process of the agent to be known")
    number = server.submit(f"sleep 6002 & echo up; kill -KILL {agent}; sleep 6002")
    job = over(server, number)
    assert job["state"] == "lost", log_of(server, number)
    assert job["attempts"][0]["note"]
    until(lambda: server.host(NAME)["link"] == "connected", "the service to be kept running")
    assert processes_named(host, "^sleep 6002") == []
    assert over(server, server.submit("true"))["state"] == "passed"


def test_a_step_that_fills_the_disk_is_told_whole_and_cleaned_up_after(host, server, service):
    moved = host.run(
        f"systemctl stop {service} && cp -a {HOME} /root/kept && mount -t tmpfs -o size=300m,mode=755 tmpfs {HOME} && "
        f"cp -a /root/kept/. {HOME}/ && chown paddock: {HOME} && systemctl start {service}"
    )
    assert moved.returncode == 0, moved.stderr
    steps = [
        {"name": "fill", "script": "cat /dev/zero > chart || true\nfor i in $(seq 1 3000); do echo sounding $i; done"},
        {"name": "more", "script": "echo x > another"},
        {"name": "clean up", "script": "rm chart; echo cleaned", "always": True},
    ]
    number = server.submit("", steps=steps)
    job = over(server, number)
    sheet = server.api.get(f"/api/v1/jobs/{number}/attempts/1/")
    assert [(one["outcome"], one["exit_code"]) for one in sheet["steps"]][::2] == [("exited", 0), ("exited", 0)]
    assert job["state"] == "failed"
    log = log_of(server, number)
    assert re.findall(r"^sounding (\d+)$", log, re.MULTILINE) == [str(i) for i in range(1, 3001)]
    assert "No space left on device" in log
    assert log.endswith("cleaned\n")
    journal = host.run(f"journalctl --unit {service} --output cat").stdout
    assert "in memory: the spool cannot be written" in journal, (
        "the disk was not full for the agent: this tested nothing"
    )
    assert over(server, server.submit("echo again"))["state"] == "passed"
    host.run(f"systemctl stop {service}; umount {HOME}; systemctl start {service}")


def test_what_forks_for_ever_and_hears_no_signal_is_ended_whole(host, server, service):
    forks = "trap '' TERM INT HUP; (while :; do (setsid sleep 6003 &) ; sleep 0.05; done) & echo up; wait"
    number = server.submit(forks)
    until(lambda: "up" in log_of(server, number), "the job to run")
    until(lambda: len(processes_named(host, "^sleep 6003")) > 5, "some of them")
    server.api.post(f"/api/v1/jobs/{number}/cancel/")
    assert over(server, number)["state"] == "cancelled"
    assert processes_named(host, "^sleep 6003") == []
    assert server.api.get(f"/api/v1/jobs/{number}/attempts/1/")["leftover_processes"]


def test_a_tool_that_is_installed_is_seen_and_a_job_that_waits_for_it_starts(host, server, service):
    """A folder of another account in /opt must not stop the agent from seeing the next one."""
    number = server.submit("gradle --version", ["tool gradle 8+", f"host {NAME}"])
    until(lambda: server.job(number)["reason"], "the job to wait")
    host.run("mkdir /opt/of-another-account && chmod 700 /opt/of-another-account")
    folder = "/opt/gradle-8.7/bin"
    host.run(f"mkdir -p {folder} && printf '#!/bin/sh\\necho \"Gradle 8.7\"\\n' > {folder}/gradle")
    host.run(f"chmod 755 {folder}/gradle && ln -s {folder}/gradle /usr/local/bin/gradle")
    begun = host.run("date +%s").stdout
    until(lambda: "gradle" in [one["tool"] for one in server.host(NAME)["installations"]], "the survey to find it", 60)
    took = int(host.run("date +%s").stdout) - int(begun)
    print(f"gradle was seen {took} s after it was installed")  # noqa: T201 - measured, not asserted
    assert over(server, number)["state"] == "passed"
    host.run("rm -rf /opt/of-another-account /opt/gradle-8.7 /usr/local/bin/gradle")

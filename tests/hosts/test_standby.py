"""Standby on real Linux hosts with a real systemd: one powers itself down, a magic packet boots it, and jobs run."""

from __future__ import annotations

import contextlib
import itertools
import os
import random
import socket
import threading

import pytest
from processes import RealServer
from systemd_host import booted
from waiting import until

SLEEPER, RELAY = "curlew-04", "curlew-01"
ARRIVALS = int(os.environ.get("PADDOCK_ARRIVALS", "20"))
"""Jobs that come at random. A hundred take some minutes: ``PADDOCK_ARRIVALS=100 make test``."""


class Switch(threading.Thread):
    """Beside the bridge, where a network card that is off listens: a magic packet for the host boots it. ``heard`` are
    the packets with who sent them."""

    def __init__(self, host):
        super().__init__(daemon=True)
        self.host, self.heard, self.boots = host, [], 0
        self._ends = threading.Event()
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        self._socket.bind((host.broadcast, 9))
        self._socket.settimeout(0.2)
        self.start()

    def run(self):
        # What the card waits for, byte for byte: six times 0xFF, and its own address 16 times.
        wanted = b"\xff" * 6 + bytes(int(part, 16) for part in self.host.hardware.split(":")) * 16
        while not self._ends.is_set():
            try:
                packet, (sender, _) = self._socket.recvfrom(2000)
            except TimeoutError:
                continue
            self.heard.append((sender, packet))
            if packet == wanted and self.host.is_off():
                self.host.power_off()  # what is left of its network
                self.boots += 1
                self.host.boot()

    def stop(self):
        self._ends.set()
        self.join()
        self._socket.close()


@pytest.fixture(scope="module")
def host():
    real = booted(SLEEPER, 9)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def relay(host):
    real = booted(RELAY, 19, beside=host)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, relay, tmp_path_factory):
    real = RealServer(
        tmp_path_factory.mktemp("server"), grace=2, lease=60, watch=3, bind=host.outside,
        settings={"PADDOCK_STANDBY_SETTLE": "1"},
    )  # fmt: skip
    for one in (host, relay):
        brought = real.make_sheet(slots=1, name=one.name)
        done = one.run(f"cd /root && {brought['command']['run']}")
        assert done.returncode == 0, done.stdout + done.stderr
        real.api.post(f"/api/v1/hosts/{one.name}/admit/")
        until(lambda one=one: real.host(one.name)["readiness"] == "free", lambda one=one: real.host(one.name))
        until(
            lambda one=one: (real.host(one.name)["watch"] or {}).get("running"),
            lambda one=one: one.run("journalctl --no-pager -n 20 -u 'paddock-watch*'").stdout,
        )
    real.api.put(f"/api/v1/hosts/{SLEEPER}/power/", {"may_power_down": True})
    yield real
    real.stop()


@pytest.fixture
def switch(host):
    one = Switch(host)
    yield one
    one.stop()


def policy(server, **more):
    server.api.post("/api/v1/standby-policies/", {"place": SLEEPER, "mode": "when jobs wait", "up_seconds": 1, **more})


def power(server):
    return server.api.get(f"/api/v1/hosts/{SLEEPER}/power/")


def is_powered(server, state):
    until(lambda: power(server)["power"] == state, lambda: power(server))


def test_a_host_powers_itself_down_and_a_job_wakes_it(server, host, relay, switch):
    policy(server, idle_seconds=100_000)
    server.api.post(f"/api/v1/hosts/{SLEEPER}/power-down/")
    is_powered(server, "asleep")
    until(host.is_off, "its systemd to end")
    shown = server.host(SLEEPER)
    assert (shown["link"], shown["readiness"]) == ("stopped", "asleep")
    job = server.submit("cat /proc/sys/kernel/hostname", [f"host {SLEEPER}"])
    is_powered(server, "waking")
    until(lambda: "is being woken" in server.job(job)["reason"], lambda: server.job(job))
    until(lambda: {sender for sender, _ in switch.heard} == {host.outside, relay.inside}, lambda: switch.heard)
    address = bytes.fromhex(host.hardware.replace(":", ""))
    assert {packet for _, packet in switch.heard} == {b"\xff" * 6 + address * 16}
    assert server.finding("machine-silent", SLEEPER) is None and server.finding("agent-stopped", SLEEPER) is None
    until(lambda: server.job(job)["state"] == "passed", lambda: (server.job(job), power(server)))
    tried = power(server)["wakes"][0]["tried"]
    assert any(f"{RELAY} sent it" in one["what"] for one in tried), tried
    assert (switch.boots, len(server.job(job)["attempts"])) == (1, 1)
    assert power(server)["power"] == "on" and power(server)["wakes"][0]["worked"]


def test_an_order_that_another_signed_or_that_is_old_powers_nothing_down(server, host):
    """What a watch was told once does not power its host down again, nor does what somebody else says."""
    script = (
        "cd $(dirname $(ls /var/lib/paddock-watch/*/watch.json)) && /opt/paddock/current/bin/python - <<'END'\n"
        "import asyncio, os\n"
        "from paddock_agent import power\n"
        "from paddock_agent.doctor.note import FILE, read_note\n"
        "from paddock_agent.system.real import RealSystem\n"
        "note = read_note(open(FILE).read(), os.getcwd())\n"
        "asyncio.run(power.begin(RealSystem(), note, os.getcwd(), power.order_text(note.host, {}), 'ab' * 64))\n"
        "END"
    )
    done = host.run(script.format(10**9))
    assert done.returncode != 0 and "not signed by the server" in done.stderr, done.stderr
    assert host.run("cat /var/lib/paddock-watch/*/power-order-done").stdout.strip().isdecimal()
    assert not host.is_off()


def test_jobs_come_at_random_while_hosts_sleep_and_server_and_agents_are_killed(server, host, relay, switch):
    """Every job ends once, the host is never woken twice at a time, and never goes down with a job."""
    policy(server, idle_seconds=10)
    rng = random.Random(23)
    jobs = []
    for number in range(ARRIVALS):
        terms = [f"host {SLEEPER}"] if rng.random() < 0.6 else [f"host {RELAY}"]
        jobs.append(server.submit("sleep 0.3", terms))
        if number % 10 == 9:
            # Long enough for the host to go to sleep again now and then.
            with contextlib.suppress(AssertionError):
                until(lambda: power(server)["power"] == "asleep", "it to sleep", 30.0)
        if number % 13 == 5:
            server.stop(9)
            server.start()
        elif number % 13 == 9 and not host.is_off():
            host.run("pkill -9 -f 'paddock_agent [r]un'")
    for job in jobs:
        until(lambda job=job: server.job(job)["ended_at"], lambda job=job: (server.job(job), power(server)), 400.0)
    shown = [server.job(job) for job in jobs]
    lost = [one for one in shown if one["state"] != "passed"]
    assert all(one["state"] == "lost" for one in lost), "only a killed agent loses its job"
    assert len(lost) <= ARRIVALS * 3 // 10
    assert all(sum(attempt["state"] == "passed" for attempt in one["attempts"]) <= 1 for one in shown)
    until(lambda: power(server)["power"] in ("asleep", "on"), lambda: power(server))
    wakes = sorted((one["at"], one["ended_at"]) for one in power(server)["wakes"])
    assert all(first[1] and first[1] <= second[0] for first, second in itertools.pairwise(wakes))
    assert switch.boots >= 1, "it slept and woke"

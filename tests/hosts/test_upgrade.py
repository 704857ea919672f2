"""Upgrades on a real Linux host with a real systemd: versions that prove themselves, versions that cannot, and whatever
cuts an upgrade off. After each, exactly one agent runs, and the server says what systemctl says."""

from __future__ import annotations

import contextlib
import itertools
import json
import os

import pytest
from agent_versions import make_version, wheels_of
from processes import RealServer
from systemd_host import booted
from waiting import until

from paddock_standins.api_client import ApiError

HOST, AGENT = "dunlin-01", "/usr/local/bin/paddock-agent"
RUN = "\n\ndef _run(options):\n    {}\n"
"""At the end of the agent's cli module: another way to run, for versions that are bad on purpose."""
_numbers = itertools.count(1)


@pytest.fixture(scope="module")
def host():
    real = booted(HOST, 6)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def wheels(tmp_path_factory):
    return wheels_of(tmp_path_factory.mktemp("wheels"))


@pytest.fixture(scope="module")
def server(host, wheels, tmp_path_factory):
    real = RealServer(
        tmp_path_factory.mktemp("server"), grace=2, lease=60, watch=3, bind=host.outside,
        settings={"PADDOCK_WHEELS": str(wheels)},
    )  # fmt: skip
    brought = real.make_sheet(slots=2)
    done = host.run(f"cd /root && {brought['command']['run']}")
    assert done.returncode == 0, done.stdout + done.stderr
    real.api.post(f"/api/v1/hosts/{HOST}/admit/")
    until(lambda: real.host(HOST)["readiness"] == "free", lambda: real.host(HOST))
    until(lambda: (real.host(HOST)["watch"] or {}).get("running"), "the watch to report")
    yield real
    real.stop()


@pytest.fixture
def version(wheels):
    """Makes a version of its own."""
    return lambda changes=None, **more: make_version(wheels, f"0.2.{next(_numbers)}", changes, **more).name.split("-")[
        1
    ]


def start(server, version, **more):
    body = {"version": version, "hosts": [HOST], "proof_limit": 60, **more}
    return server.api.post("/api/v1/rollouts/", body)["id"]


def row(server, rollout):
    (found,) = server.api.get(f"/api/v1/rollouts/{rollout}/")["hosts"]
    return found


def reaches(server, rollout, *steps):
    until(lambda: row(server, rollout)["step"] in steps, lambda: row(server, rollout))


def ended(server, rollout):
    until(lambda: row(server, rollout)["ended_at"], lambda: row(server, rollout))
    return row(server, rollout)


def running(server):
    return server.host(HOST)["facts"]["agent_version"]


def demand_whole(server, host, version):
    """Exactly one agent runs, of this version and under its own unit; no upgrade is at work; jobs come again."""
    until(
        lambda: server.host(HOST)["link"] == "connected" and running(server) == version,
        lambda: f"{version} to run: {_state(server, host)}",
    )
    unit = host.run("basename /etc/systemd/system/paddock-agent-*.service").stdout.strip()
    shown = host.run(f"systemctl show {unit} --property=ActiveState,MainPID").stdout.split()

    def only_agent():
        # A child of the agent has its name for a moment, until it is another program.
        found = host.run("pgrep -f 'paddock_agent [r]un'").stdout.split()
        return found[0] if len(found) == 1 else ""

    agent = until(only_agent, "one agent to run")
    assert shown == ["ActiveState=active", f"MainPID={agent}"] or shown == [f"MainPID={agent}", "ActiveState=active"]
    assert host.run("readlink -f /opt/paddock/current").stdout.strip() == f"/opt/paddock/agent-{version}"
    assert host.run(f"tr '\\0' ' ' < /proc/{agent}/cmdline").stdout.startswith("/opt/paddock/current/bin/python")
    until(lambda: host.run("systemctl is-active 'paddock-upgrade-*'").stdout.strip() != "active", "the unit to end")
    assert host.run("ls /var/lib/paddock-agent/upgrade-reserve").returncode != 0
    assert len(host.run("ls -d /opt/paddock/agent-*").stdout.split()) <= 3
    until(lambda: server.host(HOST)["readiness"] == "free", lambda: server.host(HOST))
    job = server.submit("true", [f"host {HOST}"])
    until(lambda: server.job(job)["state"] == "passed", lambda: server.job(job))


def progress(host):
    return json.loads(host.run("cat /var/lib/paddock-watch/*/upgrade.json").stdout)


# ---- versions that prove themselves --------------------------------------------------------------------------------


def test_an_upgrade_waits_for_a_long_job_and_costs_none(server, host, version):
    new = version()
    long = server.submit("while [ ! -e /tmp/go-on ]; do sleep 0.2; done; echo whole", [f"host {HOST}"])
    until(lambda: server.job(long)["state"] == "running", "the job to run")
    rollout = start(server, new)
    reaches(server, rollout, "draining")
    later = server.submit("paddock=$PADDOCK_JOB; true", [f"host {HOST}"])
    until(lambda: row(server, rollout)["working"], lambda: row(server, rollout))
    assert running(server) != new
    host.run("touch /tmp/go-on")
    found = ended(server, rollout)
    assert found["step"] == "proven", (found, _log(host))
    for job in (long, later):
        until(lambda job=job: server.job(job)["state"] == "passed", lambda job=job: server.job(job))
    assert len(server.job(long)["attempts"]) == 1, "it was not disturbed"
    assert (found["connected_at"] > found["switched_at"], found["surveyed_at"] > found["switched_at"]) == (True, True)
    assert server.job(found["proof"])["state"] == "passed"
    demand_whole(server, host, new)
    host.run("rm /tmp/go-on")


def test_its_watch_becomes_that_of_the_new_version_and_old_folders_go(server, host, version):
    before = running(server)
    new = version({"paddock_agent/watch.py": "\n\n_SENTENCE = _sentence\n\n\ndef _sentence(found):\n    "
                   "return 'By the new watch. ' + _SENTENCE(found)\n"})  # fmt: skip
    assert ended(server, start(server, new))["step"] == "proven"
    demand_whole(server, host, new)
    folders = host.run("ls -d /opt/paddock/agent-*").stdout.split()
    assert sorted(folders) == sorted(f"/opt/paddock/agent-{one}" for one in (before, new))
    until(
        lambda: "By the new watch." in host.run("journalctl --no-pager -n 20 -u 'paddock-watch-*'").stdout,
        "the new watch to report",
    )


def test_a_downgrade_on_purpose_and_back_at_the_hosts_terminal(server, host, version):
    before, new = running(server), version()
    done = host.run(f"{AGENT} upgrade --to {new}")
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.splitlines()[-1] == "Proven."
    demand_whole(server, host, new)
    assert ended(server, start(server, before))["step"] == "proven"
    demand_whole(server, host, before)
    done = host.run(f"{AGENT} rollback")
    assert (done.returncode, f"runs from /opt/paddock/agent-{new}" in done.stdout) == (0, True), done
    demand_whole(server, host, new)
    refused = host.run(f"{AGENT} upgrade --to 77.0.0")
    assert (refused.returncode, "does not hold the agent 77.0.0" in refused.stderr) == (1, True), refused


# ---- versions that cannot ------------------------------------------------------------------------------------------

BAD = {
    "does not start": (RUN.format("raise SystemExit('no')"), "start"),
    "starts and dies": (RUN.format("__import__('time').sleep(3); raise SystemExit(3)"), "started it again"),
    "hangs": (RUN.format("__import__('time').sleep(9999)"), "not proven within 10 seconds"),
    "loses its key": (
        RUN.format("__import__('pathlib').Path(options.home, 'identity.json').write_text('gone'); return 5"),
        "not joined a server",
    ),
}
ELSEWHERE = {
    "cannot reach the server": ({"server": "http://127.0.0.1:9"}, "not proven within 10 seconds"),
    "is refused": ({"key": "paddock-key-of-another"}, "does not know its key"),
}
IDENTITY = """

_load = load


def load(home):
    return msgspec.structs.replace(_load(home), **{})
"""


@pytest.mark.parametrize("failure", [*BAD, *ELSEWHERE])
def test_a_bad_version_goes_back_by_itself(server, host, version, failure):
    before = running(server)
    if failure in BAD:
        code, says = BAD[failure]
        new = version({"paddock_agent/cli.py": code})
    else:
        fields, says = ELSEWHERE[failure]
        new = version({"paddock_agent/identity.py": IDENTITY.format(fields)})
    found = ended(server, start(server, new, proof_limit=40 if "dies" in failure else 10))
    assert (found["step"], says in found["detail"]) == ("went back", True), (found, _log(host))
    if failure != "loses its key":
        assert found["evidence"], "the service's and the agent's own words"
    demand_whole(server, host, before)


def test_one_that_fills_the_disk_leaves_room_for_the_old_one(server, host, version):
    before = running(server)
    home, unit = "/var/lib/paddock-agent", "$(basename /etc/systemd/system/paddock-agent-*.service)"
    done = host.run(
        f"systemctl stop {unit} && cp -a {home} /root/home && mount -t tmpfs -o size=200m,mode=700 tmpfs {home} && "
        f"cp -a /root/home/. {home} && chown paddock: {home} && systemctl start {unit}"
    )
    assert done.returncode == 0, done.stderr
    until(lambda: server.host(HOST)["readiness"] == "free", lambda: server.host(HOST))
    fill = "open(options.home / 'junk', 'wb').write(bytes(10**9))"
    new = version(
        {
            "paddock_agent/cli.py": RUN.format(
                f"\n    try:\n        {fill}\n    finally:\n        __import__('time').sleep(99)"
            )
        }
    )
    found = ended(server, start(server, new, proof_limit=10))
    assert found["step"] == "went back", (found, _log(host))
    assert int(host.run(f"df --output=avail -B1M {home} | tail -n 1").stdout) >= 25, "the reserve is free again"
    until(lambda: server.host(HOST)["link"] == "connected" and running(server) == before, lambda: server.host(HOST))
    host.run(f"rm {home}/junk")
    demand_whole(server, host, before)
    done = host.run(
        f"systemctl stop {unit} && rm -rf /root/home && cp -a {home} /root/home && umount {home} && "
        f"cp -a /root/home/. {home} && systemctl start {unit}"
    )
    assert done.returncode == 0, done.stderr
    demand_whole(server, host, before)


def test_a_package_whose_version_lies_or_that_was_changed_on_its_way(server, host, version, wheels):
    before = running(server)
    lies = version(says="9.9.9")
    with pytest.raises(ApiError, match="does not hold the agent"):
        start(server, lies)
    good = version()
    server.api.get("/api/v1/versions/")  # the server knows its hash from now on
    file = wheels / f"yellow_paddock_agent-{good}-py3-none-any.whl"
    times = file.stat()
    file.write_bytes(file.read_bytes() + b"x")
    os.utime(file, ns=(times.st_atime_ns, times.st_mtime_ns))
    found = ended(server, start(server, good))
    assert (found["step"], "wrong hash" in found["detail"]) == ("went back", True), found
    file.unlink()
    demand_whole(server, host, before)


def test_an_order_that_another_server_signed_is_not_carried_out(server, host, version):
    before = running(server)
    notes = "/var/lib/paddock-watch/*/watch.json"
    host.run(f'cp {notes} /root/watch.json; sed -i -E \'s/"signer": "[0-9a-f]{{8}}/"signer": "00000000/\' {notes}')
    found = ended(server, start(server, version()))
    assert (found["step"], "not signed by the server" in found["detail"]) == ("went back", True), found
    host.run(f"cp /root/watch.json {notes}")
    demand_whole(server, host, before)


def test_a_disk_without_room_keeps_the_old_version(server, host, version):
    before = running(server)
    done = host.run(
        "cp -a /opt/paddock /root/paddock && "
        "size=$(($(du -sm /root/paddock | cut -f 1) + 60)) && "
        "mount -t tmpfs -o size=${size}m,mode=755 tmpfs /opt/paddock && "
        "cp -a /root/paddock/. /opt/paddock"
    )
    assert done.returncode == 0, done.stderr
    found = ended(server, start(server, version()))
    host.run("umount -l /opt/paddock; rm -rf /root/paddock")
    assert found["step"] == "went back"
    assert "are needed for the program" in found["detail"], found
    host.run("systemctl restart 'paddock-agent-*'")
    demand_whole(server, host, before)


# ---- whatever cuts it off ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("step", "is_good"), [("installing", True), ("draining", True), ("switched", True), ("switched", False)]
)
def test_a_power_cut_at_any_step_leaves_one_of_the_two(server, host, version, step, is_good):
    before = running(server)
    new = version({} if is_good else {"paddock_agent/cli.py": RUN.format("__import__('time').sleep(9999)")})
    rollout = start(server, new, proof_limit=10)
    reaches(server, rollout, step, "proven")
    host.power_off()
    host.boot()
    found = ended(server, rollout)
    assert found["step"] == ("proven" if is_good else "went back"), (found, _log(host))
    demand_whole(server, host, new if is_good else before)


def test_a_host_that_is_off_is_upgraded_when_it_comes_back(server, host, version):
    new = version()
    host.power_off()
    until(lambda: server.host(HOST)["link"] == "lost", "it to be lost")
    rollout = start(server, new)
    reaches(server, rollout, "unreachable")
    assert server.api.get(f"/api/v1/rollouts/{rollout}/")["state"] == "ended"
    host.boot()
    assert ended(server, rollout)["step"] == "proven", _log(host)
    demand_whole(server, host, new)


def test_the_server_is_restarted_in_the_middle(server, host, version):
    new = version()
    rollout = start(server, new)
    reaches(server, rollout, "draining", "switched")
    server.stop()
    server.start()
    assert ended(server, rollout)["step"] == "proven", _log(host)
    demand_whole(server, host, new)


def test_a_rollout_that_is_stopped_while_a_job_runs_leaves_the_host_as_it_is(server, host, version):
    before = running(server)
    job = server.submit("sleep 60", [f"host {HOST}"])
    until(lambda: server.job(job)["state"] == "running", "the job to run")
    rollout = start(server, version())
    reaches(server, rollout, "draining")
    with pytest.raises(ApiError, match=f"is in rollout {rollout} already"):
        start(server, "")
    server.api.post(f"/api/v1/rollouts/{rollout}/stop/")
    assert ended(server, rollout)["step"] == "left out"
    assert server.job(job)["state"] == "running"
    server.api.post(f"/api/v1/jobs/{job}/cancel/")
    demand_whole(server, host, before)


def test_the_watch_goes_back_where_the_upgrades_own_process_cannot(server, host, version):
    before = running(server)
    rollout = start(
        server, version({"paddock_agent/cli.py": RUN.format("__import__('time').sleep(9999)")}), proof_limit=600
    )
    reaches(server, rollout, "switched")
    host.run("rm /var/lib/paddock-watch/*/upgrader; pkill -9 -f 'upgrade --carry-out'")
    found = ended(server, rollout)
    assert (found["step"], "did not start" in found["detail"]) == ("went back", True), (found, _log(host))
    demand_whole(server, host, before)


def test_a_host_that_claims_to_be_proven_is_not_believed(server, host, version):
    before = running(server)
    new = version({"paddock_agent/cli.py": RUN.format("__import__('time').sleep(9999)")})
    rollout = start(server, new, proof_limit=10)
    reaches(server, rollout, "switched")
    order, key = progress(host)["order"], json.loads(host.run("cat /var/lib/paddock-watch/*/watch.json").stdout)["key"]
    claimed = host.run(
        f"curl -s -o /dev/null -w '%{{http_code}}' -H 'Authorization: Bearer {key}' "
        "-H 'Content-Type: application/json' "
        f'--data \'{{"order": {order}, "step": "proven"}}\' {server.url}/agent/v1/upgrade'
    )
    assert claimed.stdout == "400"
    assert until(lambda: server.finding("misbehaving", HOST), "the finding")
    assert ended(server, rollout)["step"] == "went back"
    demand_whole(server, host, before)
    with contextlib.suppress(ApiError):
        server.api.post(f"/api/v1/rollouts/{rollout}/go-back/")


def _state(server, host):
    """Short enough to be read whole in the report of a failed run."""
    at_server = {name: server.host(HOST).get(name) for name in ("link", "readiness", "disputed", "last_heard")}
    agent = "$(basename /etc/systemd/system/paddock-agent-*.service)"
    at_host = host.run(
        f"systemctl show {agent} --property=ActiveState,Result,MainPID,NRestarts; readlink /opt/paddock/current; "
        f"journalctl --no-pager -n 12 --output=cat -u {agent}; tail -n 12 /var/lib/paddock-agent/last-words*"
    ).stdout
    return f"{running(server)} {at_server}\n{at_host[-4000:]}"


def _log(host):
    return host.run(
        "journalctl --no-pager -n 80 -u 'paddock-upgrade*' -u 'paddock-watch*' -u 'paddock-agent*'; "
        "cat /var/lib/paddock-watch/*/upgrade.json"
    ).stdout

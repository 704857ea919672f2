"""The agent as a service on a real Linux host with a real systemd, and a real server over the host's own network."""

from __future__ import annotations

import re
import subprocess

import pytest
from processes import RealServer
from systemd_host import booted
from waiting import until

AGENT = "/usr/local/bin/paddock-agent"
HOME = "/var/lib/paddock-agent"


@pytest.fixture(scope="module")
def host():
    asked = ["/usr/bin/python3", "-c", "import sys, venv; print(*sys.version_info[:2])"]
    theirs = subprocess.run(asked, capture_output=True, text=True, check=False).stdout.strip()
    if theirs not in ("3 11", "3 12", "3 13"):
        pytest.skip(f"the host's own Python is {theirs or 'not there'}; the agent's packages are for 3.11 to 3.13")
    real = booted("knot-01")
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1, bind=host.outside)
    yield real
    real.stop()


def bring_up(host, server, options="", **variables):
    """Fetches the script without a sheet, as for unattended use, and runs it."""
    fetched = host.run(f"cd /tmp && curl -fsSO {server.url}/install/paddock.sh")
    assert fetched.returncode == 0, fetched.stderr
    return host.run(f"sh /tmp/paddock.sh {options}", **variables)


@pytest.fixture(scope="module")
def service(host, server):
    """The bare host was brought up by a sheet's command, pasted as it stands, and let in. Gives the service's name."""
    made = server.make_sheet(slots=2)
    sheet = made["sheet"]
    assert sheet["phase"] == "expected"
    done = host.run(f"cd /root && {made['command']['run']}")
    assert done.returncode == 0, done.stdout + done.stderr
    assert "paddock.sh: OK" in done.stdout
    until(lambda: server.steps(sheet)["survey"]["state"] == "done", "the survey")
    steps = server.steps(sheet)
    names = ["fetch", "preflight", "install", "join", "service", "connect", "survey"]
    assert [steps[name]["state"] for name in names] == ["done"] * 7
    assert server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")["phase"] == "at the gate"
    server.api.post("/api/v1/hosts/knot-01/admit/")
    until(lambda: server.steps(sheet)["prove"]["state"] == "done", "the proof job")
    finished = server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")
    assert finished["phase"] == "finished"
    log = server.api.get_bytes(f"/api/v1/jobs/{finished['proof']}/log/").decode()
    for shown in ("host:    knot-01", "account: paddock", f"folder:  {HOME}/work/", "git version"):
        assert shown in log
    return re.search(r"^(\S+\.service): The service runs", done.stdout, re.MULTILINE).group(1)


@pytest.fixture
def mended(host, service):
    """Takes out, at the end of a test, what the test broke."""
    yield
    host.run(f"rm -rf /etc/systemd/system/{service}.d; systemctl daemon-reload; {AGENT} service install")


def show(host, service, *names):
    shown = host.run(f"systemctl show {service} --property={','.join(names)}").stdout
    found = dict(line.split("=", 1) for line in shown.splitlines())
    return [found[name] for name in names]


def is_connected(server):
    return server.host("knot-01")["link"] == "connected"


def test_a_dry_run_checks_everything_and_changes_nothing(host, server):
    done = bring_up(host, server, "--dry-run --name curlew-07")
    assert done.returncode == 0, done.stdout + done.stderr
    for checked in (
        "system: Debian",
        "processor: x64",
        "rights: root",
        "service manager: systemd",
        "account: one of its own",
        "Python: 3.",
        "disk:",
        "folders:",
        "slots:",
        "server: answers",
        "clock:",
    ):
        assert re.search(rf"^  ok +.*{checked}", done.stdout, re.MULTILINE), (checked, done.stdout)
    assert "It would: install the agent" in done.stdout
    assert host.run(f"ls -d /opt/paddock {HOME}").stdout == ""


@pytest.mark.parametrize(
    ("options", "variables", "says"),
    [
        ("", {"PADDOCK_PASS": "x"}, "The server knows no such entry pass"),
        ("--user ghost", {}, "There is no account ghost on this host"),
        ("--work work", {}, "has to be a whole path"),
        ("", {"PADDOCK_PREFIX": "/opt/a b"}, "has a space in it"),
    ],
)
def test_what_is_missing_is_named_with_its_remedy_before_anything_is_changed(host, server, options, variables, says):
    done = bring_up(host, server, options, **variables)
    assert done.returncode == 1
    assert says in done.stdout
    assert "Nothing was changed" in done.stderr
    assert host.run("ls -d /opt/paddock").stdout == ""


def test_a_wrong_pass_and_a_bad_option_are_said(host, server):
    refused = bring_up(host, server, PADDOCK_PASS="paddock-pass-wrong")
    assert (refused.returncode, "knows no such entry pass" in refused.stdout) == (1, True)
    assert bring_up(host, server, "--labels 'a;reboot'").returncode == 2


def test_running_the_script_again_keeps_what_is_there(host, server, service):
    again = bring_up(host, server, PADDOCK_PASS="not needed any more")
    assert again.returncode == 0, again.stdout + again.stderr
    assert "is installed in /opt/paddock/agent-" in again.stdout
    assert "its key stays" in again.stdout
    until(lambda: is_connected(server), "the host to connect again")
    host.run("mkdir /opt/paddock/.at-work; echo 1 > /opt/paddock/.at-work/pid")
    twice = bring_up(host, server)
    assert (twice.returncode, "running here already" in twice.stderr) == (1, True)
    host.run("echo 999999 > /opt/paddock/.at-work/pid")
    after = bring_up(host, server)
    assert (after.returncode, "was cut off; going on" in after.stdout) == (0, True), after.stderr
    assert host.run("ls -d /opt/paddock/.at-work").returncode != 0


def test_the_service_is_enabled_runs_as_its_own_user_and_does_a_job(host, server, service):
    until(lambda: is_connected(server), "the host to be connected")
    assert show(host, service, "UnitFileState", "ActiveState", "User") == ["enabled", "active", "paddock"]
    assert host.run(f"systemd-analyze verify /etc/systemd/system/{service}").stderr.strip() == ""
    here = server.host("knot-01")
    assert here["facts"]["kept_by"] == service
    assert here["facts"]["user"] == "paddock"
    assert here["address"] == host.inside
    assert {"name": "Service running", "mark": "holds", "detail": service} in here["conditions"]
    number = server.submit("id -un; hostname; pwd")
    until(lambda: server.job(number)["state"] == "passed", "the job to pass")
    log = server.api.get_bytes(f"/api/v1/jobs/{number}/log/").decode()
    assert log.startswith(f"paddock\nknot-01\n{HOME}/work/fresh/{number}-1-")
    status = host.run(f"{AGENT} service status")
    assert (status.returncode, "runs as paddock and starts at boot" in status.stdout) == (0, True)
    assert host.run(f"stat -c '%a %U' {HOME}/identity.json").stdout.strip() == "600 paddock"


def test_it_comes_back_after_a_kill(host, server, service):
    (before,) = show(host, service, "MainPID")
    host.run(f"kill -9 {before}")
    until(lambda: show(host, service, "MainPID")[0] not in ("0", before), "systemd to start it again")
    until(lambda: is_connected(server), "the host to connect again")


def test_it_comes_back_after_a_reboot(host, server, service):
    host.power_off()
    until(lambda: not is_connected(server), "the server to notice")
    host.boot()
    until(lambda: is_connected(server), "the host to connect again")
    assert show(host, service, "ActiveState") == ["active"]


def test_what_was_installed_since_is_seen_after_the_agent_started_afresh(host, server, service):
    host.run("mkdir -p /opt/newtool/bin; echo 'PATH=$PATH:/opt/newtool/bin' > /etc/profile.d/newtool.sh")
    (before,) = show(host, service, "MainPID")
    server.api.post("/api/v1/hosts/knot-01/survey/")
    differs = until(lambda: server.host("knot-01")["facts"]["differs"], "the difference to be reported")
    assert {"name": "PATH", "now": "", "fresh": "/opt/newtool/bin"} in differs
    server.api.post("/api/v1/hosts/knot-01/restart/")
    until(lambda: show(host, service, "MainPID")[0] not in ("0", before), "systemd to start it again")
    until(lambda: is_connected(server) and not server.host("knot-01")["facts"]["differs"], "it to have taken it up")
    number = server.submit("echo $PATH")
    until(lambda: server.job(number)["state"] == "passed", "the job to pass")
    assert "/opt/newtool/bin" in server.api.get_bytes(f"/api/v1/jobs/{number}/log/").decode()


@pytest.mark.parametrize(
    ("setting", "says", "remedy"),
    [
        ("User=ghost", "the account ghost does not exist (status 217)", "useradd"),
        ("ExecStart=\nExecStart=/opt/gone run", "/opt/gone is missing or may not be run (status 203)", "install"),
        ("WorkingDirectory=/nowhere", "its folder is missing or closed to its account (status 200)", "install"),
        (f"ExecStart=\nExecStart={AGENT} run --home /srv", "has not joined a server", "paddock-agent join"),
    ],
)  # fmt: skip
def test_each_failure_gets_its_own_explanation_and_remedy(host, service, mended, setting, says, remedy):
    folder = f"/etc/systemd/system/{service}.d"
    host.run(f"mkdir -p {folder}; printf '[Service]\\n{setting}\\n' > {folder}/broken.conf; systemctl daemon-reload")
    host.run(f"systemctl restart {service}")

    def explained():
        status = host.run(f"{AGENT} service status")
        return status.returncode == 1 and says in status.stdout and status.stdout

    status = until(explained, f"status to say: {says}")
    assert re.search(rf"^  do: .*{remedy}", status, re.MULTILINE), status


def test_stopped_disabled_and_missing_are_told_apart(host, server, service, mended):
    until(lambda: is_connected(server), "the host to connect")
    assert host.run(f"{AGENT} service stop").returncode == 0
    until(lambda: server.host("knot-01")["link"] == "stopped", "the goodbye")
    assert "The service was stopped." in host.run(f"{AGENT} service status").stdout
    started = host.run(f"{AGENT} service start")
    assert (started.returncode, "starts at boot" in started.stdout) == (0, True)
    host.run(f"systemctl disable {service}")
    assert "not set to start at boot" in host.run(f"{AGENT} service status").stdout
    assert host.run(f"{AGENT} service uninstall").returncode == 0
    assert "does not exist on this host" in host.run(f"{AGENT} service status").stdout
    assert host.run(f"ls /etc/systemd/system/{service}").returncode != 0


def test_what_would_not_work_is_refused_before_anything_is_changed(host, service):
    missing = host.run(f"{AGENT} service install --user ghost")
    assert (missing.returncode, "There is no account ghost" in missing.stderr) == (1, True)
    no_rights = host.run(f"runuser -u nobody -- {AGENT} service install --home {HOME}")
    assert no_rights.returncode != 0
    host.run("useradd --system shut; chmod 700 /opt/paddock")
    shut = host.run(f"{AGENT} service install --user shut")
    host.run(f"chmod 755 /opt/paddock; chown -R paddock: {HOME}")
    assert (shut.returncode, "The account shut cannot run" in shut.stderr) == (1, True)
    assert show(host, service, "User") == ["paddock"]


def test_an_unreachable_server_and_an_expired_pass_are_said(host, server):
    no_server = host.run(f"{AGENT} join --home /srv/x --server http://{host.outside}:9", PADDOCK_PASS="x")
    assert (no_server.returncode, "Connection refused" in no_server.stderr) == (4, True)
    secret = server.make_pass()
    passes = server.api.get("/api/v1/passes/")["results"]
    server.api.post(f"/api/v1/passes/{passes[0]['id']}/revoke/")
    refused = host.run(f"{AGENT} join --home /srv/x --server {server.url}", PADDOCK_PASS=secret)
    assert (refused.returncode, "was revoked" in refused.stderr) == (3, True)
    assert secret not in refused.stdout + refused.stderr + server.log()


def test_leaving_takes_everything_with_it(host, server, service, mended):
    left = host.run(f"{AGENT} leave")
    assert left.returncode == 0, left.stderr
    assert host.run(f"ls {HOME}").returncode != 0
    assert host.run(f"systemctl cat {service}").returncode != 0
    assert "knot-01" not in {one["name"] for one in server.api.get("/api/v1/hosts/")["results"]}
    joined = host.run(f"{AGENT} join --server {server.url}", PADDOCK_PASS=server.make_pass())
    assert joined.returncode == 0, "the name is free again"

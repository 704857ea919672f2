"""Bring-ups on a real Linux host that go wrong, each with its explanation on the sheet, and the way on from there."""

from __future__ import annotations

import contextlib
import subprocess
from pathlib import Path

import pytest
from processes import RealServer
from systemd_host import booted
from tampering import Tampering
from waiting import until

from paddock_standins.api_client import ApiError

SSHD = Path("/usr/sbin/sshd")


@pytest.fixture(scope="module")
def host():
    real = booted("plover-01", 2)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def server(host, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1, bind=host.outside)
    yield real
    real.stop()


@pytest.fixture
def between(host, server):
    way = Tampering(server.url, host.outside)
    yield way
    way.stop()


@pytest.fixture
def bare(host, between):
    """The host is bare again afterwards."""
    yield host
    if host.run("ls /var/lib/paddock-agent/identity.json").returncode == 0:
        left = host.run("/usr/local/bin/paddock-agent leave")
        assert left.returncode == 0, left.stdout + left.stderr
    host.run("umount /opt/paddock")
    host.run("rm -rf /opt/paddock /var/lib/paddock-agent /root/* /usr/local/bin/paddock-agent")


def test_leaving_a_server_that_is_gone_is_possible_if_it_is_wanted(bare, server):
    _, command = begin(server)
    assert paste(bare, command).returncode == 0
    server.stop()
    refused = bare.run("/usr/local/bin/paddock-agent leave")
    assert (refused.returncode, "--anyway" in refused.stderr) == (1, True)
    left = bare.run("/usr/local/bin/paddock-agent leave --anyway")
    assert (left.returncode, "could not be reached" in left.stdout) == (0, True)
    assert bare.run("ls /var/lib/paddock-agent").returncode != 0
    server.start()
    server.api.post("/api/v1/hosts/plover-01/turn-away/")


def begin(on, **more):
    made = on.make_sheet(**more)
    return made["sheet"], made["command"]["run"]


def paste(host, command, **variables):
    return host.run(f"cd /root && {command}", **variables)


def missing(server, sheet):
    """The checks of the sheet that found something missing, by name."""
    shown = server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")
    assert shown["phase"] == "failed", shown
    return {one["name"]: one for one in shown["checks"] if one["mark"] == "missing"}


def test_a_script_that_was_changed_on_its_way_is_not_run(bare, server, between):
    between.change = lambda path, body: body + b"\necho tampered\n" if "paddock.sh" in path else body
    _, command = begin(server)
    done = paste(bare, command.replace(server.url, between.url))
    assert done.returncode != 0
    assert "paddock.sh: FAILED" in done.stdout
    assert "tampered" not in done.stdout.replace("echo tampered", "")


def test_a_wrong_clock_shows_on_the_sheet_and_is_mended(bare, server, between):
    between.clock_off = 7200
    sheet, command = begin(server, server=between.url)
    command = command.replace(between.url, server.url, 1)
    assert paste(bare, command).returncode == 1
    clock = missing(server, sheet)["clock"]
    assert "s behind the server's" in clock["found"]
    assert clock["remedy"] == ["timedatectl set-ntp true"]
    assert bare.run("ls -d /opt/paddock").returncode != 0, "nothing was changed"
    between.clock_off = 0
    assert "clock: within a minute" in paste(bare, command.replace("sh paddock.sh", "sh paddock.sh --dry-run")).stdout


def test_a_machine_without_python_says_so_on_the_sheet(bare, server):
    sheet, command = begin(server)
    all_of_them = "/usr/bin/python3* /usr/local/bin/python3*"
    bare.run(f"for one in {all_of_them}; do [ -L $one ] || chmod a-x $one; done")
    done = paste(bare, command)
    bare.run(f"for one in {all_of_them}; do [ -L $one ] || chmod a+x $one; done")
    assert (done.returncode, "missing Python: none of 3.11" in done.stdout) == (1, True), done.stdout + done.stderr
    python = missing(server, sheet)["Python"]
    assert python["remedy"] == ["apt-get install python3"]
    assert "Python: none of 3.11" in server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")["sentence"]


def test_a_package_with_the_wrong_hash_is_refused_and_nothing_is_left(bare, server, between):
    between.change = lambda path, body: body + b"x" if "/files/msgspec" in path else body
    sheet, command = begin(server, server=between.url)
    done = paste(bare, command.replace(between.url, server.url, 1))
    assert done.returncode == 1
    step = server.steps(sheet)["install"]
    assert step["state"] == "failed"
    assert "DO NOT MATCH THE HASHES" in step["detail"] or "hash" in step["detail"].lower()
    assert bare.run("ls /opt/paddock").stdout == ""
    between.change = lambda path, body: body[:-1] + b"?" if "/files/yellow" in path else body
    sheet, command = begin(server, server=between.url)
    assert paste(bare, command.replace(between.url, server.url, 1)).returncode == 1
    assert "wrong hash" in missing(server, sheet)["server"]["found"]


def test_a_disk_that_fills_up_while_installing_leaves_the_old_version_whole(bare, server):
    bare.run("mkdir -p /opt/paddock && mount -t tmpfs -o size=300m,nr_inodes=400 tmpfs /opt/paddock")
    assert bare.run("df -i /opt/paddock").stdout.split()[-5] == "400"
    bare.run("mkdir -p /opt/paddock/agent-0.0.9/bin && echo old > /opt/paddock/agent-0.0.9/bin/paddock-agent")
    bare.run("ln -s /opt/paddock/agent-0.0.9 /opt/paddock/current")
    sheet, command = begin(server)
    done = paste(bare, command)
    assert done.returncode == 1
    assert "what was there before is as it was" in done.stderr
    step = server.steps(sheet)["install"]
    assert (step["state"], "No space left on device" in step["detail"]) == ("failed", True), step
    assert bare.run("cat /opt/paddock/current/bin/paddock-agent").stdout == "old\n"
    assert bare.run("ls /opt/paddock").stdout.split() == ["agent-0.0.9", "current"]
    bare.run("umount /opt/paddock")
    assert paste(bare, command).returncode == 0, "the same command goes on from there"
    assert server.steps(sheet)["service"]["state"] == "done"


def test_a_missing_account_a_wrong_folder_and_a_slot_too_many(bare, server):
    sheet, command = begin(server, account="ghost", slots=90)
    assert paste(bare, command).returncode == 1
    account = missing(server, sheet)["account"]
    assert account["remedy"] == ["useradd --system --create-home --shell /bin/bash ghost"]
    checks = {one["name"]: one for one in server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")["checks"]}
    assert checks["slots"]["mark"] == "mind"
    assert bare.run(account["remedy"][0]).returncode == 0
    assert paste(bare, command).returncode == 0
    assert server.steps(sheet)["service"]["state"] == "done"
    until(lambda: server.steps(sheet)["survey"]["state"] == "done", "the survey")
    host = server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")["host"]
    assert server.host(host)["facts"]["user"] == "ghost"


def test_the_server_restarted_in_the_middle_of_a_bring_up(bare, server):
    sheet, command = begin(server, slots=1)
    check = command.replace("sh paddock.sh", "sh paddock.sh --dry-run")
    assert paste(bare, check).returncode == 0
    server.stop()
    unreachable = bare.run("cd /root && sh paddock.sh")
    assert unreachable.returncode == 1
    assert "Connection refused" in unreachable.stdout
    server.start()
    assert server.steps(sheet)["preflight"]["state"] == "done", "the report stays"
    assert paste(bare, command).returncode == 0
    until(lambda: server.steps(sheet)["survey"]["state"] == "done", "the survey")


def test_two_at_once_are_not_one_too_many(bare, server):
    _, command = begin(server)
    both = paste(bare, command.replace("sh paddock.sh", "{ sh paddock.sh & sh paddock.sh & wait; }"))
    output = both.stdout + both.stderr
    assert output.count("Installing the agent") == 1
    assert output.count("Joined shoreline") == 1
    assert "running here already" in output or "its key stays" in output


def test_an_authority_of_ones_own_is_trusted_by_name_and_kept_for_the_service(bare, server, between, tmp_path):
    key, certificate = tmp_path / "key.pem", tmp_path / "cert.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", certificate, "-days", "2",
         "-subj", f"/CN={bare.outside}", "-addext", f"subjectAltName=IP:{bare.outside}"],
        check=True, capture_output=True,
    )  # fmt: skip
    between.speak_tls(certificate, key)
    _, command = begin(server, server=between.url)
    command = command.replace(between.url, server.url, 1)
    refused = paste(bare, command)
    assert refused.returncode == 1
    assert "self-signed certificate" in refused.stdout
    assert "SSL_CERT_FILE" in refused.stdout
    bare.run("cat > /etc/own.pem <<'E'\n" + certificate.read_text() + "E")
    dry = paste(bare, command.replace("sh paddock.sh", "sh paddock.sh --dry-run"), SSL_CERT_FILE="/etc/own.pem")
    assert dry.returncode == 0, dry.stdout + dry.stderr
    assert f"answers at {between.url}" in dry.stdout


def test_no_pass_and_no_key_is_in_a_process_list_a_log_or_an_address(bare, server, between):
    sheet, command = begin(server, server=between.url)
    secret = command.split("PADDOCK_PASS='")[1].split("'")[0]
    watch = (
        "for i in $(seq 400); do cat /proc/[0-9]*/cmdline 2>/dev/null | tr '\\0' ' '; sleep 0.02; done > /root/seen & "
    )
    # The pasted line itself is the shell's own; what it starts must not have the pass in its arguments.
    bare.run(f"printf '%s' '{secret}' > /root/pass")
    inside = command.replace(f"'{secret}'", '"$(cat /root/pass)"').replace(between.url, server.url, 1)
    done = paste(bare, f"{watch} {inside}; kill %1")
    key = bare.run("cat /var/lib/paddock-agent/identity.json").stdout.split('"key": "')[1].split('"')[0]
    everywhere = [
        bare.run("cat /root/seen").stdout, done.stdout, done.stderr, server.log(), "\n".join(between.seen),
        bare.run("journalctl --no-pager -n 500").stdout, bare.run("ls -R /opt/paddock /tmp").stdout,
        str(server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")), str(server.api.get("/api/v1/logbook/")),
    ]  # fmt: skip
    assert "paddock_agent" in everywhere[0], "the watch saw the script at work"
    assert between.seen
    for text in everywhere:
        assert secret not in text
        assert key not in text


@pytest.fixture
def sshd(bare):
    if not SSHD.exists():
        pytest.skip("OpenSSH server is missing")
    assert bare.run("mkdir -p /run/sshd && ssh-keygen -A && systemctl start ssh").returncode == 0
    bare.run("useradd --create-home --shell /bin/bash mia; echo 'mia:low-water-7' | chpasswd")
    until(lambda: bare.run("systemctl is-active ssh").stdout == "active\n", "the OpenSSH server")
    return {"address": bare.inside, "port": 22}


def look(server, sheet, where):
    return server.api.post(f"/api/v1/bring-ups/{sheet['id']}/ssh/look/", where)


def go_in(server, sheet, where, **more):
    return server.api.post(f"/api/v1/bring-ups/{sheet['id']}/ssh/go-in/", {**where, "user": "root", **more})


def test_the_server_goes_in_over_ssh_with_its_own_key_after_the_machines_was_trusted(bare, server, sshd):
    sheet, _ = begin(server)
    shown = look(server, sheet, sshd)
    own = bare.run("ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub").stdout.split()
    assert (shown["standing"], shown["fingerprint"]) == ("new", own[1])

    go_in(server, sheet, sshd, fingerprint=shown["fingerprint"])
    until(lambda: server.steps(sheet)["fetch"]["state"] == "failed", "to be refused")
    refused = server.steps(sheet)["fetch"]
    assert "does not let root in with this server's key" in refused["detail"]
    assert bare.run(refused["remedy"][0]).returncode == 0, "its remedy, done on the machine"
    assert look(server, sheet, sshd)["standing"] == "trusted"
    go_in(server, sheet, sshd, fingerprint=shown["fingerprint"])
    until(lambda: server.steps(sheet)["survey"]["state"] == "done", "the machine to come in")
    assert server.steps(sheet)["fetch"]["state"] == "done"
    bare.run("rm -rf /root/.ssh")


def test_a_changed_key_is_refused_until_the_old_one_is_forgotten(bare, server, sshd):
    sheet, _ = begin(server)
    bare.run("rm /etc/ssh/ssh_host_*; ssh-keygen -A; systemctl restart ssh")
    shown = until(lambda: look(server, sheet, sshd), "its new key")
    assert shown["standing"] == "changed"
    with pytest.raises(Exception, match="has changed since harbourmaster trusted it"):
        go_in(server, sheet, sshd, fingerprint=shown["fingerprint"])
    server.api.post(f"/api/v1/bring-ups/{sheet['id']}/ssh/forget/", sshd)
    assert look(server, sheet, sshd)["standing"] == "new"
    with pytest.raises(Exception, match="shows another key now"):
        go_in(server, sheet, sshd, fingerprint="SHA256:not-this-one")


def test_a_password_is_used_once_and_found_nowhere(bare, server, sshd):
    bare.run("echo 'mia ALL=(ALL) ALL' > /etc/sudoers.d/mia")
    has_sudo = bare.run("command -v sudo").returncode == 0
    sheet, _ = begin(server, **({} if has_sudo else {"supervisor": "by hand"}))
    shown = look(server, sheet, sshd)
    go_in(server, sheet, sshd, fingerprint=shown["fingerprint"], user="mia", password="high-water-8")
    until(lambda: server.steps(sheet)["fetch"]["state"] == "failed", "to be refused")
    assert "does not take the password of mia" in server.steps(sheet)["fetch"]["detail"]
    go_in(server, sheet, sshd, fingerprint=shown["fingerprint"], user="mia", password="low-water-7")
    until(lambda: server.steps(sheet)["join"]["state"] == "done", "it to join")
    kept = [server.log(), str(server.api.get("/api/v1/logbook/")), bare.run("journalctl --no-pager -n 500").stdout]
    for text in kept:
        assert "low-water-7" not in text
    for file in Path(server.environment["PADDOCK_DATA"]).rglob("*"):
        assert not file.is_file() or b"low-water-7" not in file.read_bytes()
    bare.run("rm -rf /home/mia/.local")


def test_where_nobody_answers_is_said(bare, server):
    sheet, _ = begin(server)
    with pytest.raises(Exception, match="No way in at"):
        look(server, sheet, {"address": bare.inside, "port": 9})


def test_the_command_run_again_waits_for_the_jobs_and_its_sheet_comes_to_its_end(bare, server):
    with contextlib.suppress(ApiError):
        server.api.post("/api/v1/hosts/plover-01/turn-away/")  # an earlier test may have left it at the gate
    _, command = begin(server)
    assert paste(bare, command).returncode == 0
    server.api.post("/api/v1/hosts/plover-01/admit/")
    until(lambda: server.host("plover-01")["readiness"] == "free", lambda: server.host("plover-01"))
    server.api.patch("/api/v1/hosts/plover-01/", {"labels": ["bench-rig"]})
    body = {"name": "long", "pipeline": "almanac-docs", "terms": ["host plover-01"]}
    job = server.api.post("/api/v1/jobs/", {**body, "script": "while [ ! -e /tmp/go-on ]; do sleep 0.2; done"})
    until(lambda: server.api.get(f"/api/v1/jobs/{job['id']}/")["state"] == "running", "the job to run")

    sheet, again = begin(server, name="plover-01", repairs=True)
    bare.run(f"cd /root; ( ({again}) > again.out 2>&1; echo $? > again.code ) < /dev/null > /dev/null 2>&1 &")
    until(lambda: f"job {job['id']}. Waiting" in _output(bare), "it to say what it waits for")
    later = server.api.post("/api/v1/jobs/", {**body, "name": "later", "script": "true"})
    bare.run("touch /tmp/go-on")
    code = until(lambda: bare.run("cat /root/again.code").stdout.strip(), lambda: _output(bare))
    assert code == "0", _output(bare)
    for one in (job, later):
        until(
            lambda one=one: server.api.get(f"/api/v1/jobs/{one['id']}/")["state"] == "passed", "both jobs to pass", 60
        )
    assert len(server.api.get(f"/api/v1/jobs/{job['id']}/")["attempts"]) == 1, "it was not disturbed"
    shown = until(lambda: _ended(server, sheet), "the sheet to come to its end")
    assert shown["host"] == "plover-01"
    assert server.host("plover-01")["labels"] == ["bench-rig"]
    bare.run("rm -f /tmp/go-on")


def _output(host):
    return host.run("cat /root/again.out").stdout


def _ended(server, sheet):
    shown = server.api.get(f"/api/v1/bring-ups/{sheet['id']}/")
    return shown if shown["phase"] == "finished" else None

"""The preflight: each check on machines that lack something, and against a server of the test's own."""

from __future__ import annotations

import http.server
import json
import ssl
import subprocess
import sys
import threading
import time
from dataclasses import replace
from email.utils import formatdate

import pytest

from paddock_agent.environment import adopted, differences
from paddock_agent.preflight import Plan, is_fit, machine_checks, server_checks
from paddock_agent.preflight.plan import HOMES, PREFIXES
from paddock_agent.steps import Reporter
from paddock_agent.system import Completed, Disk, Hardware
from paddock_agent.system.real import RealSystem
from paddock_agent.system.trials import FailedTrial
from paddock_agent.wire import Difference

GB = 1024**3


class Bare(RealSystem):
    """A machine that has all that is needed, except for what a test takes away."""

    def __init__(self, family="linux", **changes):
        super().__init__()
        self.family = family
        self.variables = {"PATH": "/usr/bin:/bin", "PROCESSOR_ARCHITECTURE": "AMD64"}
        self.failing, self.tried = (), []
        self.root, self.free, self.shut, self.own_python = True, 50 * GB, "", ((3, 12, 1), "/usr")
        self.files = {"/etc/os-release": 'PRETTY_NAME="Debian 12"\nVERSION_ID="12"', "/proc/1/comm": "systemd"}
        self.says = {
            "uname -m": "x86_64", "getconf GNU_LIBC_VERSION": "glibc 2.36", "sw_vers -productVersion": "14.5",
            "cmd /c ver": "Microsoft Windows [Version 10.0.20348.1]", "powershell": '"LocalMachine","RemoteSigned"',
        }  # fmt: skip
        self.says.update(changes.pop("says", {}))
        self.__dict__.update(changes)

    async def run(self, command, time_limit):
        body = self.says.get(" ".join(command), self.says.get(command[0], ""))
        return Completed(2, "", "no") if body is None else Completed(0, body, "")

    def read_text(self, path):
        return self.files.get(path)

    def environment(self):
        return self.variables

    def is_privileged(self):
        return self.root

    def account(self):
        return "root" if self.root else "mia"

    def disk(self, folder):
        return Disk(100 * GB, self.free)

    def hardware(self):
        return Hardware(8, 16 * GB)

    def why_not_writable(self, path):
        return self.shut

    async def try_work(self, work_folder, server, quick=False):
        self.tried.append(work_folder)
        return self.failing

    def python(self):
        return self.own_python

    def executables(self, pattern):
        return []

    def service_control(self):
        return self


def plan(family="linux", **more):
    home = HOMES[family]
    usual = Plan("http://paddock:8200", home=home, prefix=PREFIXES[family], work_folder=home + "/work", system=family)
    return replace(usual, **more)


async def found(system, asked):
    return {check.name: check for check in await machine_checks(system, asked)}


@pytest.mark.parametrize("family", ["linux", "macos", "windows"])
async def test_a_machine_that_has_everything_is_fit(family):
    checks = await found(Bare(family), plan(family))
    assert is_fit(checks.values()), [check for check in checks.values() if check.mark != "ok"]
    assert ("script policy" in checks) is (family == "windows")
    assert all(check.lines() for check in checks.values())


@pytest.mark.parametrize(
    ("changes", "more", "name", "mark", "says", "remedy"),
    [
        ({}, {"system": "macos"}, "system", "missing", "expects macos", "copy the command"),
        ({"says": {"getconf GNU_LIBC_VERSION": "glibc 2.17"}}, {}, "system", "missing", "glibc 2.28 or newer", ""),
        ({"says": {"getconf GNU_LIBC_VERSION": None}}, {}, "system", "missing", "glibc 2.28 or newer", ""),
        ({"says": {"uname -m": "mips"}}, {}, "processor", "missing", "packages for x64 and arm64", ""),
        ({}, {"arch": "arm64"}, "processor", "mind", "sheet says arm64", ""),
        ({"root": False}, {}, "rights", "missing", "Only root", "run it with sudo"),
        ({"root": False}, {"supervisor": "by hand"}, "rights", "mind", "gone after a reboot", ""),
        ({"files": {"/proc/1/comm": "init"}}, {}, "service manager", "missing", "keep the agent running", "--by-hand"),
        ({}, {"supervisor": "log-in"}, "service manager", "missing", "is for macOS", "choose"),
        ({"says": {"getent": None}}, {"account": "ghost"}, "account", "missing", "no account ghost", "useradd"),
        ({}, {"account": "root"}, "account", "mind", "change the whole machine", ""),
        ({"own_python": ((3, 9, 2), "/usr")}, {}, "Python", "missing", "3.11, 3.12 or 3.13", ""),
        ({"own_python": ((3, 12, 2), "/root/.p")}, {}, "Python", "missing", "person's own folder", ""),
        ({"free": 100 * 1024**2}, {}, "disk", "missing", "210 MB are needed", "--prefix"),
        ({"free": GB}, {}, "disk", "mind", "want more than that", ""),
        ({}, {"work_folder": "/srv/a b"}, "folders", "missing", "a space in it", "--work"),
        ({}, {"prefix": "/opt/päddock"}, "folders", "missing", "“ä”", "--prefix"),
        ({}, {"work_folder": "/" + "d" * 95}, "folders", "missing", "96 characters", "--work"),
        ({"shut": "/srv is closed to mia"}, {}, "folders", "missing", "closed to mia", ""),
        ({}, {"slots": 40}, "slots", "mind", "good for 4", ""),
        (
            {"variables": {"https_proxy": "http://me:secret@p"}},
            {},
            "proxy",
            "mind",
            "leads over it",
            "no_proxy=paddock",
        ),
        ({"variables": {"https_proxy": "p", "no_proxy": "a, paddock"}}, {}, "proxy", "ok", "", ""),
    ],
)
async def test_what_is_missing_is_named_with_its_remedy(changes, more, name, mark, says, remedy):
    checks = await found(Bare(**changes), plan(**more))
    check = checks[name]
    assert check.mark == mark, check
    assert says in check.why
    assert remedy in " ".join(check.remedy)
    assert "secret" not in str(checks)
    assert is_fit(checks.values()) is (mark != "missing")


@pytest.mark.parametrize(
    ("says", "mark", "words"),
    [
        ('"MachinePolicy","AllSigned"\n"LocalMachine","Undefined"', "missing", "group policy"),
        ('"MachinePolicy","Undefined"\n"LocalMachine","Restricted"', "ok", "this session alone"),
        ("", "ok", "this session alone"),
    ],
)
async def test_the_script_policy_of_windows(says, mark, words):
    check = (await found(Bare("windows", says={"powershell": says}), plan("windows")))["script policy"]
    assert (check.mark, words in check.found) == (mark, True)


async def test_an_old_windows_and_one_that_is_not_elevated():
    old = await found(Bare("windows", says={"cmd /c ver": "[Version 6.1.7601]"}, root=False), plan("windows"))
    assert "1607" in old["system"].why
    assert "Run as administrator" in old["rights"].remedy[0]


class Server(http.server.BaseHTTPRequestHandler):
    """Answers as the real one would; ``off`` seconds wrong, ``refuses`` with a problem, ``asked`` are the requests."""

    off, refuses, asked = 0, "", []

    def do_GET(self):
        self._answer(200, {"status": "ok"})

    def do_POST(self):
        self.asked.append((self.path, json.loads(self.rfile.read(int(self.headers["Content-Length"])))))
        no = {"title": "No", "detail": self.refuses}
        self._answer(403, no) if self.refuses else self._answer(200, {"paddock": "shoreline", "name": "knot-01"})

    def date_time_string(self, timestamp=None):
        return formatdate(time.time() + self.off, usegmt=True)

    def _answer(self, code, body):
        self.send_response(code)
        self.end_headers()
        self.wfile.write(json.dumps(body).encode())

    def log_message(self, *_):
        pass


@pytest.fixture
def server():
    handler = type("Handler", (Server,), {"asked": []})
    listening = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=listening.serve_forever, daemon=True).start()
    handler.url = f"http://127.0.0.1:{listening.server_port}"
    handler.listening = listening
    yield handler
    listening.shutdown()


def by_name(checks):
    return {check.name: check for check in checks}


def test_a_good_server_a_good_pass_and_stray_characters(server):
    asked = plan(server=f" {server.url}/ ", secret=" paddock-pass-x\n", name="knot-01", sheet="code")
    checks = by_name(server_checks(asked, Bare()))
    assert [check.mark for check in checks.values()] == ["ok"] * 4
    assert "stray" in checks["address"].why
    assert "spaces round it" in checks["pass"].why
    ((path, body),) = server.asked
    assert (path, body["secret"], body["sheet"]) == ("/agent/v1/ask", "paddock-pass-x", "code")


@pytest.mark.parametrize(("off", "says"), [(3600, "3600 s behind"), (-120, "120 s ahead of"), (20, "within a minute")])
def test_a_wrong_clock_is_told_with_its_remedy(server, off, says):
    server.off = off
    check = by_name(server_checks(plan(server=server.url), Bare()))["clock"]
    assert says.split()[-1] in check.found
    assert (check.mark, bool(check.remedy)) == (("ok", False) if off == 20 else ("missing", True))


def test_a_refused_pass_is_told_in_the_servers_words_and_no_pass_is_no_obstacle(server):
    server.refuses = "The pass was revoked."
    assert by_name(server_checks(plan(server=server.url, secret="x"), Bare()))["pass"].why == "The pass was revoked."
    assert is_fit(server_checks(plan(server=server.url), Bare()))


def test_a_machine_that_has_joined_needs_no_pass(server):
    system = Bare()
    system.files[f"{HOMES['linux']}/identity.json"] = '{"host": "knot-01", "key": "k"}'
    assert "has joined as knot-01" in by_name(server_checks(plan(server=server.url), system))["pass"].found


@pytest.mark.parametrize(
    ("address", "says"),
    [
        ("paddock:8200", "http://"),
        ("http://pad dock", "no host"),
        ("http://paddock/x?y", "more than a server"),
        ("http://paddock/x y", "names no host"),
        ("http://paddock//x", "more than a server"),
        ("http://127.0.0.1:9", "refused"),
    ],
)
def test_an_address_that_does_not_work_is_explained(address, says):
    (check,) = server_checks(plan(server=address), Bare())
    assert (check.mark, says in check.why) == ("missing", True)


def test_a_certificate_that_is_not_trusted_and_then_is(server, tmp_path, monkeypatch):
    key, certificate = tmp_path / "key.pem", tmp_path / "cert.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", certificate, "-days", "2",
         "-subj", "/CN=127.0.0.1", "-addext", "subjectAltName=IP:127.0.0.1"],
        check=True, capture_output=True,
    )  # fmt: skip
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificate, key)
    server.listening.socket = context.wrap_socket(server.listening.socket, server_side=True)
    asked = plan(server=server.url.replace("http", "https"))
    (check,) = server_checks(asked, Bare())
    assert "is not trusted: self-signed certificate" in check.why
    assert "SSL_CERT_FILE" in check.remedy[0]
    monkeypatch.setenv("SSL_CERT_FILE", str(certificate))
    assert is_fit(server_checks(asked, Bare()))


def test_the_reporter_tells_bounded_and_never_fails(server):
    Reporter(server.url, "code", "knot").tell("install", "failed", "x" * 9000, ["y" * 9000])
    ((path, body),) = server.asked
    assert (path, len(body["found"]), len(body["remedy"][0])) == ("/agent/v1/bring-up", 2000, 2000)
    Reporter("http://127.0.0.1:9", "code", "knot").tell("install", "done")
    Reporter(server.url, "", "knot").tell("install", "done")
    assert len(server.asked) == 1


def test_the_preflight_runs_from_the_package_alone_with_nothing_installed(server):
    """As the bring-up scripts run it: a Python that has the standard library and our package, and nothing else."""
    blocked = "import sys; sys.modules.update(dict.fromkeys(['msgspec', 'websockets', 'psutil', 'platformdirs']))"
    code = f"{blocked}; import runpy; sys.argv = ['preflight', '--json', '--supervisor', 'by hand']; "
    code += "runpy.run_module('paddock_agent.preflight', run_name='__main__')"
    done = subprocess.run(
        [sys.executable, "-c", code],
        env={"PADDOCK_SERVER": server.url, "PATH": "/usr/bin:/bin", "HOME": "/tmp"},
        capture_output=True,
        text=True,
        check=False,
    )
    body = json.loads(done.stdout)
    assert done.returncode == (0 if body["fit"] else 1), done.stderr
    assert {"system", "disk", "server", "clock"} <= {check["name"] for check in body["checks"]}


def test_what_a_fresh_log_in_has_and_the_agent_has_not():
    system = Bare()
    system.variables = {"PATH": "/usr/bin:/bin", "JAVA_HOME": "/opt/jdk-17"}
    fresh = {"PATH": "/usr/bin/:/opt/jdk-21/bin:relative:/bin", "JAVA_HOME": "/opt/jdk-21", "PS1": "> "}
    assert differences(system, fresh) == [
        Difference("PATH", "", "/opt/jdk-21/bin"),
        Difference("JAVA_HOME", "/opt/jdk-17", "/opt/jdk-21"),
    ]
    assert adopted(system, fresh) == {"PATH": "/usr/bin:/bin:/opt/jdk-21/bin", "JAVA_HOME": "/opt/jdk-21"}
    system.variables.update(adopted(system, fresh))
    assert differences(system, fresh) == []
    assert differences(system, {}) == []


def test_windows_does_not_mind_the_case_of_its_path():
    system = Bare("windows")
    system.variables = {"Path": r"C:\Windows;C:\Tools\jdk"}
    assert differences(system, {"PATH": r"c:\windows\;C:\TOOLS\JDK"}) == []
    (one,) = differences(system, {"path": r"C:\Windows;D:\new"})
    assert (one.name, one.fresh) == ("PATH", r"D:\new")


async def test_the_fresh_environment_of_this_machine_is_that_of_a_log_in_shell(tmp_path, monkeypatch):
    monkeypatch.setenv("PADDOCK_ONLY_HERE", "1")
    fresh = await RealSystem().fresh_environment()
    assert "PADDOCK_ONLY_HERE" not in fresh
    assert fresh == {} or "/bin" in fresh["PATH"]


async def test_the_folders_are_really_written_to_and_a_full_one_is_named_with_its_remedy():
    full = FailedTrial("work folder", "No space left on device (ENOSPC): /x", {"mount": "/", "folder": "/x"})
    system = Bare(failing=(full,))
    checks = await found(system, plan())
    assert (checks["folders"].mark, "/ is full" in checks["folders"].why) == ("missing", True)
    noexec = FailedTrial(
        "running files", "Permission denied (EACCES)", {"mount": "/opt", "mount options": "rw,noexec", "folder": "/opt"}
    )
    checks = await found(Bare(failing=(noexec,)), plan())
    assert "noexec" in checks["folders"].why
    assert "mount -o remount,exec /opt" in checks["folders"].remedy


async def test_every_place_that_the_installer_writes_to_is_tried_and_nothing_is_left_there():
    system = Bare()
    await found(system, plan())
    assert {"/usr/local/bin", "/etc/systemd/system"} <= set(system.tried)
    by_hand = Bare()
    await found(by_hand, plan(supervisor="by hand"))
    assert "/etc/systemd/system" not in by_hand.tried

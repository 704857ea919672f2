"""Services: the unit that is written, the state that is read, and its explanation."""

import shutil
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent import agent_service
from paddock_agent.errors import AgentError, CommandFailed
from paddock_agent.identity import Identity
from paddock_agent.services import Cause, Definition, ServiceState, Systemd, diagnose
from paddock_agent.services.systemd import read_state, unit_file
from paddock_agent.system import Completed
from paddock_agent.system.real import RealSystem

NAME = "paddock-agent-paddock-8200-shoreline-avocet-01.service"
UNIT = Definition(
    name=NAME,
    description="Yellow Paddock agent: avocet-01 in shoreline, for http://paddock:8200",
    account="root",
    command=["/bin/sh", "-m", 'a "quoted" 100% $HOME word'],
    home="/tmp",
    environment={"PATH": "/usr/bin:/bin"},
)


@pytest.mark.skipif(not shutil.which("systemd-analyze"), reason="systemd is not installed")
def test_the_unit_is_one_that_systemd_takes_without_a_word(tmp_path):
    (tmp_path / NAME).write_text(unit_file(UNIT))
    checked = subprocess.run(
        ["systemd-analyze", "verify", tmp_path / NAME], capture_output=True, text=True, check=False
    )
    assert checked.stderr.strip() == ""
    assert checked.returncode == 0


def test_what_systemd_would_expand_is_escaped():
    assert r'ExecStart="/bin/sh" "-m" "a \"quoted\" 100%% $$HOME word"' in unit_file(UNIT)


def test_the_name_tells_server_paddock_and_host_apart():
    names = {
        agent_service.service_name(Identity(server, "key", host, paddock, "/work"), "linux")
        for server in ("http://paddock:8200", "http://paddock:8300", "https://other")
        for paddock in ("shoreline", "orchard")
        for host in ("avocet-01", "avocet-02")
    }
    assert len(names) == 12
    assert NAME in names
    assert all(name.replace(".service", "").replace("-", "").replace(".", "").isalnum() for name in names)


def state(running, **more):
    known = {"starts_at_boot": True, "account": "paddock", "family": "linux", **more}
    return ServiceState(NAME, known.pop("family"), running, **known)


def shown(**more):
    properties = {"LoadState": "loaded", "ActiveState": "active", "SubState": "running", "UnitFileState": "enabled",
            "Result": "success", "ExecMainCode": "0", "ExecMainStatus": "0", "NRestarts": "0", "User": "paddock",
            "ExecStart": "{ path=/opt/paddock/bin/python ; argv[]=x ; }", **more}  # fmt: skip
    return "\n".join(f"{key}={value}" for key, value in properties.items())


@pytest.mark.parametrize(
    ("change", "running", "exit_status"),
    [
        ({}, "running", None),
        ({"LoadState": "not-found", "ActiveState": "inactive"}, "missing", None),
        ({"ActiveState": "inactive", "ExecMainCode": "1"}, "stopped", 0),
        ({"ActiveState": "failed", "Result": "exit-code", "ExecMainCode": "1", "ExecMainStatus": "217"}, "failed", 217),
        ({"ActiveState": "failed", "Result": "signal", "ExecMainCode": "2", "ExecMainStatus": "9"}, "failed", None),
        ({"ActiveState": "activating", "SubState": "auto-restart", "ExecMainCode": "1"}, "trying again", 0),
        ({"ActiveState": "activating", "SubState": "start"}, "running", None),
        ({"NRestarts": "[not set]", "ExecMainStatus": "x", "ExecMainCode": "1"}, "running", None),
    ],
)
def test_the_state_is_read_from_what_systemd_shows(change, running, exit_status):
    read = read_state(NAME, shown(**change), ["one", "two"])
    assert (read.running, read.exit_status) == (running, exit_status)
    assert read.program == "/opt/paddock/bin/python"


@given(st.text(max_size=300), st.lists(st.text(max_size=50), max_size=9))
def test_whatever_is_shown_gives_a_state_and_a_sentence(text, lines):
    assert diagnose(read_state(NAME, text, lines)).sentence.endswith(".")


@pytest.mark.parametrize(
    ("given_state", "is_well", "says", "remedy"),
    [
        (state("running"), True, "runs as paddock and starts at boot", ""),
        (state("running", start_type="at log-in"), True, "starts at log-in", ""),
        (state("running", restarts=3), True, "started again 3 times", ""),
        (state("running", starts_at_boot=False), False, "not set to start at boot", "systemctl enable"),
        (state("missing"), False, "does not exist on this host", "service install"),
        (state("stopped", result="success"), False, "was stopped.", "service start"),
        (state("stopped", starts_at_boot=False), False, "not set to start at boot either", "systemctl enable"),
        (state("failed", cause=Cause.NO_ACCOUNT), False, "account paddock does not exist", "useradd"),
        (state("failed", cause=Cause.NO_ACCOUNT, family="windows"), False, "does not exist", "New-LocalUser"),
        (state("failed", cause=Cause.NO_GROUP), False, "group of the account paddock", "id paddock"),
        (
            state("failed", cause=Cause.NO_PROGRAM, program="/x", code="status 203"),
            False,
            "/x is missing or may not be run (status 203)",
            "install",
        ),
        (state("trying again", cause=Cause.NO_FOLDER), False, "being tried again", "service install"),
        (state("failed", cause=Cause.NOT_JOINED), False, "has not joined", "paddock-agent join"),
        (state("failed", cause=Cause.DISMISSED), False, "turned away or retired", "join --again"),
        (state("failed", cause=Cause.KILLED, result="oom-kill"), False, "from outside (oom-kill)", "service start"),
        (state("failed", cause=Cause.ENDED, exit_status=1, evidence=("no disk",)), False, "status 1: no disk", "start"),
        (state("failed", cause=Cause.TOO_MANY_STARTS, evidence=("x",)), False, "too many times: x", "start"),
        (state("failed", cause=Cause.LOGON_FAILED, family="windows"), False, "password is wrong", "--ask-password"),
        (
            state("failed", cause=Cause.NO_LOGON_RIGHT, family="windows"),
            False,
            "right to log on as a service",
            "install",
        ),
        (state("failed", cause=Cause.NO_ANSWER), False, "did not tell the service manager in time", "start"),
        (
            state("stopped", cause=Cause.DISABLED, starts_at_boot=False, family="windows"),
            False,
            "stopped",
            "Set-Service",
        ),
        (state("failed", cause=Cause.NO_LOGIN), False, "no session of that account is open", "install"),
        (state("failed"), False, "does not say why", "start"),
    ],
)
def test_each_state_has_its_sentence_and_its_remedy(given_state, is_well, says, remedy):
    found = diagnose(given_state)
    assert found.is_well is is_well
    assert says in found.sentence
    assert remedy in " ; ".join(found.remedy)
    assert bool(found.remedy) is not is_well


class Recorded(RealSystem):
    """A system whose commands are written down and answered from a table; anything else succeeds in silence."""

    def __init__(self, privileged=True, init="systemd\n", **answers):
        super().__init__()
        self.ran, self.written = [], {}
        self._answers, self._privileged, self._init = answers, privileged, init

    async def run(self, command, time_limit):
        self.ran.append(" ".join(command))
        return self._answers.get(command[0], self._answers.get("_".join(command[:2]), Completed(0, "", "")))

    def read_text(self, path):
        return self._init if path == "/proc/1/comm" else None

    def write_text(self, path, text, mode):
        self.written[path] = text

    def make_folder(self, path):
        pass

    def remove_file(self, path):
        self.written.pop(path, None)

    def is_privileged(self):
        return self._privileged


KNOWN = Identity("http://paddock:8200", "key", "avocet-01", "shoreline", "/var/lib/paddock-agent/work")


async def test_installing_writes_the_unit_and_hands_the_folder_to_its_account(tmp_path):
    system = Recorded(systemctl_show=Completed(0, shown(), ""))
    found = await agent_service.install(system, KNOWN, str(tmp_path), "paddock", start=True)
    assert found.is_well
    kept = f"/etc/paddock-agent/{NAME.removesuffix('.service')}.env"
    assert list(system.written) == [kept, f"/etc/systemd/system/{NAME}"]
    assert f'PADDOCK_AGENT_SERVICE="{NAME}"' in system.written[kept]
    assert f"chown -R paddock: {tmp_path} {KNOWN.work_folder}" in system.ran
    steps = [one for one in system.ran if one.startswith("systemctl") and "show" not in one]
    assert steps == [
        "systemctl daemon-reload",
        f"systemctl enable {NAME}",
        f"systemctl reset-failed {NAME}",
        f"systemctl restart {NAME}",
    ]


@pytest.mark.parametrize(
    ("system", "account", "says"),
    [
        (Recorded(privileged=False), "paddock", "needs root"),
        (Recorded(init="init\n"), "paddock", "there is no systemd"),
        (Recorded(getent=Completed(2, "", "")), "ghost", "There is no account ghost"),
        (Recorded(runuser=Completed(126, "", "Permission denied")), "paddock", "cannot run"),
        (Recorded(chown=Completed(1, "", "read-only file system")), "paddock", "read-only file system"),
        (Recorded(systemctl_enable=Completed(1, "", "unit is masked")), "paddock", "unit is masked"),
    ],
)
async def test_what_stands_in_the_way_is_said(system, account, says, tmp_path):
    with pytest.raises(AgentError, match=says):
        await agent_service.install(system, KNOWN, str(tmp_path), account, start=True)


async def test_our_own_account_is_made_where_it_is_missing(tmp_path):
    system = Recorded(getent=Completed(2, "", ""))
    with pytest.raises(CommandFailed, match="no account paddock"):  # for here nothing really makes it
        await agent_service.install(system, KNOWN, str(tmp_path), "paddock", start=False)
    assert any(one.startswith("useradd --system") and one.endswith(" paddock") for one in system.ran)


async def test_taking_out_a_service_that_is_not_there_is_no_error():
    system = Recorded(systemctl_show=Completed(0, shown(LoadState="not-found"), ""))
    await Systemd(system).uninstall(NAME)
    assert not any("disable" in one for one in system.ran)
    missing = Completed(0, shown(LoadState="not-found"), "")
    await agent_service.remove(Recorded(privileged=False, systemctl_show=missing), KNOWN)
    with pytest.raises(AgentError, match="needs root"):
        await agent_service.remove(Recorded(privileged=False, systemctl_show=Completed(0, shown(), "")), KNOWN)


def test_leaving_removes_the_folders_and_lists_what_stays(tmp_path):
    home, work = tmp_path / "home", tmp_path / "work"
    for folder in (home, work / "1-1"):
        folder.mkdir(parents=True)
        (folder / "file").touch()
    known = Identity("http://paddock:8200", "key", "avocet-01", "shoreline", str(work))
    assert agent_service.remove_files(home, known) == []
    assert list(tmp_path.iterdir()) == []
    assert agent_service.remove_files(home, known) == [], "twice does no harm"

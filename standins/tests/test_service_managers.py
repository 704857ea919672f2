"""The real adapters for launchd and the service control manager, on service managers that behave like the real ones."""

from __future__ import annotations

import plistlib
from dataclasses import replace
from pathlib import Path

import pytest

from paddock_agent import agent_service
from paddock_agent.errors import AgentError
from paddock_agent.identity import Identity
from paddock_agent.services import Cause, diagnose, manager_of
from paddock_agent.services import windows_control as windows
from paddock_agent.services.launchd import read_state
from paddock_agent.services.windows_control import ServiceError
from paddock_standins.description import all_hosts
from paddock_standins.simulated import SimulatedSystem

HOSTS = {one.name: one for one in all_hosts()}


class Machine:
    """A bare stand-in with a service manager of its own; ``exits`` is how its agent ends at once, None if it stays."""

    def __init__(self, name: str, **changes: object) -> None:
        self.description = replace(HOSTS[name], **changes)
        self.exits: int | None = None
        self.started: list[tuple[str, str]] = []
        self.system = SimulatedSystem(self.description, self._start, lambda name: None)
        self.manager = manager_of(self.system)
        self.known = Identity("http://paddock:8200", "key", name, "orchard", self.description.work_folder)
        self.name = agent_service.name_on(self.system, self.known)

    def _start(self, name: str, account: str) -> int | None:
        self.started.append((name, account))
        return self.exits

    async def install(self, account: str = "", **more: object):
        return await agent_service.install(self.system, self.known, "/home-of-it", account, **more)

    async def says(self) -> str:
        return diagnose(await self.manager.state(self.name)).sentence


@pytest.fixture
def mac() -> Machine:
    return Machine("russet-02")


@pytest.fixture
def pc() -> Machine:
    return Machine("ketch-02")


async def test_a_daemon_runs_as_its_own_account_and_at_boot(mac):
    found = await mac.install()
    assert (found.is_well, found.sentence) == (True, "The service runs as paddock and starts at boot.")
    assert mac.started == [(mac.name, "paddock")]
    listed = plistlib.loads(mac.system.read_text(f"/Library/LaunchDaemons/{mac.name}.plist").encode())
    assert listed["Label"] == mac.name == "yellow-paddock.agent.paddock-8200.orchard.russet-02"
    assert (listed["UserName"], listed["KeepAlive"]) == ("paddock", {"SuccessfulExit": False})
    assert listed["ProgramArguments"][1:4] == ["-m", "paddock_agent", "run"]
    assert "LimitLoadToSessionType" not in listed
    assert listed["EnvironmentVariables"]["PATH"].startswith("/opt/homebrew/bin")


async def test_installing_again_replaces_what_was_there(mac):
    await mac.install()
    assert (await mac.install("build")).sentence == "The service runs as build and starts at boot."
    assert list(mac.system.launchd.jobs) == [mac.name]


async def test_one_for_log_ins_needs_somebody_logged_in(mac):
    found = await mac.install("build", at_login=True)
    assert (found.is_well, found.sentence) == (True, "The service runs as build and starts at log-in.")
    place = f"/Users/build/Library/LaunchAgents/{mac.name}.plist"
    assert plistlib.loads(mac.system.read_text(place).encode())["LimitLoadToSessionType"] == "Aqua"
    await mac.manager.stop(mac.name)
    mac.system.launchd.logged_in.clear()
    assert "no session of that account is open" in await mac.says()
    await mac.manager.uninstall(mac.name)
    assert mac.system.read_text(place) is None
    assert (await mac.manager.state(mac.name)).running == "missing"


async def test_launchd_says_only_78_and_the_adapter_finds_out_why(mac):
    await mac.install("build")
    accounts = mac.system.launchd.accounts
    number = accounts.pop("build")
    await mac.manager.restart(mac.name)
    state = await mac.manager.state(mac.name)
    assert (state.cause, state.code, state.running) == (Cause.NO_ACCOUNT, "exit code 78", "trying again")
    assert "sysadminctl -addUser build" in diagnose(state).remedy[0]
    accounts["build"] = number
    mac.system.program = lambda: "/gone"
    await mac.manager.restart(mac.name)
    assert (await mac.manager.state(mac.name)).cause is Cause.NO_PROGRAM


@pytest.mark.parametrize(
    ("code", "says"), [(5, "has not joined a server"), (6, "turned away or retired"), (1, "ended with status 1")]
)
async def test_what_the_agent_ended_with_is_explained_on_both(mac, pc, code, says):
    for machine in (mac, pc):
        machine.exits = code
        found = await machine.install()
        assert (found.is_well, says in found.sentence) == (False, True), found.sentence


async def test_a_disabled_and_a_stopped_job_are_told_apart_and_mended(mac):
    await mac.install()
    await mac.manager.stop(mac.name)
    assert await mac.says() == "The service was stopped."
    mac.system.launchd.answer(["launchctl", "disable", f"system/{mac.name}"])
    state = await mac.manager.state(mac.name)
    assert (state.starts_at_boot, state.start_type) == (False, "disabled")
    enable, start = diagnose(state).remedy
    with pytest.raises(AgentError, match="Input/output error"):
        await mac.manager.start(mac.name)
    assert mac.system.launchd.answer(enable.removeprefix("sudo ").split()).exit_code == 0
    assert start == "paddock-agent service start"
    await mac.manager.start(mac.name)
    assert (await mac.manager.state(mac.name)).running == "running"


@pytest.mark.parametrize("account", ["ghost", "nobody-here"])
async def test_an_account_that_is_not_there_is_said_before_anything_is_written(mac, pc, account):
    for machine in (mac, pc):
        with pytest.raises(AgentError, match=f"no account {account}") as caught:
            await machine.install(account)
        assert account in caught.value.remedy[0]
        assert (await machine.manager.state(machine.name)).running == "missing"


async def test_without_rights_nothing_is_changed(mac, pc):
    for machine, who in ((mac, "root"), (pc, "an administrator")):
        machine.system.is_elevated = False
        with pytest.raises(AgentError, match=who):
            await machine.install()


def test_any_output_of_launchctl_gives_a_state():
    listed = {"Label": "x", "ProgramArguments": ["/p"], "UserName": "u"}
    for printed in (
        "",
        "x = {\n}",
        "\tstate = running\n\tlast exit code = (never exited)",
        "\truns = many\n\tstate = odd",
    ):
        state = read_state("x", listed, printed, "garbage", [])
        assert diagnose(state).sentence
    killed = read_state("x", listed, "\tstate = not running\n\tlast terminating signal = Killed: 9", "", [])
    assert "ended from outside (Killed: 9)" in diagnose(killed).sentence


async def test_a_windows_service_gets_a_virtual_account_and_recovery(pc):
    found = await pc.install()
    account = f"NT SERVICE\\{pc.name}"
    assert (found.is_well, pc.started) == (True, [(pc.name, account)])
    set_up = pc.system.control.configuration(pc.name)
    assert (set_up.start, set_up.account, set_up.restart_after) == (windows.AUTO_START, account, (5, 30, 60))
    assert set_up.command.startswith('"C:\\Program Files\\Paddock\\current\\Scripts\\python.exe" -m paddock_agent run')
    assert pc.system.control.services[pc.name].environment == {"PADDOCK_AGENT_SERVICE": pc.name}


async def test_a_named_account_needs_its_password_and_gets_the_right_to_log_on(pc):
    with pytest.raises(AgentError, match="wants the password") as caught:
        await pc.install(".\\build")
    assert caught.value.remedy == ("paddock-agent service install --user '.\\build' --ask-password",)
    wrong = await pc.install(".\\build", secret="neap-tide")
    assert "could not log on: its password is wrong" in wrong.sentence
    assert "(error 1069)" in wrong.sentence
    right = await pc.install(".\\build", secret="spring-tide")
    assert right.is_well
    assert pc.system.control.accounts["build"].may_log_on
    secrets = [str(vars(pc.system.control.configuration(pc.name))), *pc.system.control.events(pc.name, 50)]
    assert not any("spring-tide" in text for text in secrets)


async def test_a_policy_that_takes_the_right_back_is_told_from_a_wrong_password():
    pc = Machine("ketch-02", refuses_rights=True)
    found = await pc.install("build", secret="spring-tide")
    assert "has not the right to log on as a service (error 1069)" in found.sentence


async def test_windows_numbers_become_words(pc):
    await pc.install()
    control = pc.system.control
    control.set_start(pc.name, "Disabled")
    await pc.manager.stop(pc.name)
    state = await pc.manager.state(pc.name)
    assert (state.running, state.starts_at_boot, state.start_type) == ("stopped", False, "disabled")
    assert "Set-Service" in diagnose(state).remedy[0]
    control.set_start(pc.name, "Automatic")
    control.programs = lambda path: False
    await pc.manager.start(pc.name)
    assert "is missing or may not be run (error 2)" in await pc.says()
    for number, says in ((1053, "did not tell the service manager in time"), (1067, "ended from outside (error 1067)")):
        control.services[pc.name].status = windows.Status(windows.STOPPED, number)
        assert says in await pc.says()
    await pc.manager.uninstall(pc.name)
    assert "does not exist on this host" in await pc.says()
    with pytest.raises(AgentError, match="error 1060"):
        await pc.manager.start(pc.name)


def test_the_stand_in_refuses_as_windows_does(pc):
    control = pc.system.control
    for do, number in (
        (control.start, windows.SERVICE_DOES_NOT_EXIST),
        (control.status, windows.SERVICE_DOES_NOT_EXIST),
        (control.delete, windows.SERVICE_DOES_NOT_EXIST),
    ):
        with pytest.raises(ServiceError) as caught:
            do("none")
        assert caught.value.number == number
    with pytest.raises(ServiceError) as caught:
        control.set_up("x", windows.Configuration("p", "ghost"), "", {})
    assert caught.value.number == windows.INVALID_SERVICE_ACCOUNT


def test_the_powershell_script_is_one_that_powershell_can_read():
    import tree_sitter
    import tree_sitter_powershell

    source = Path(__file__).parents[2] / "server/paddock_server/install/paddock.ps1"
    text = source.read_text(encoding="utf-8")
    assert text.isascii(), "Windows PowerShell 5 reads a file without a byte order mark in the local code page"
    parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_powershell.language()))
    assert not parser.parse(text.encode()).root_node.has_error
    assert parser.parse(b"if ($x { 'unclosed'").root_node.has_error, "the check can fail"
    for alias in (" iwr ", " curl ", " ls ", " rm ", " % {", " ? {", "Invoke-Expression", " iex "):
        assert alias not in text

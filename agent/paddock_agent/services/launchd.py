"""macOS: launchd, through launchctl. A daemon that starts at boot, or an agent that starts when its account logs in."""

from __future__ import annotations

import plistlib
import re
import shlex
from collections.abc import Sequence

from ..errors import CommandFailed
from ..system import System
from .commands import PATIENCE, prove_program, run_or_fail
from .diagnosis import making_account
from .port import AGENT_CAUSES, Cause, Definition, OnDemand, Repeated, Running, ServiceManager, ServiceState, Trouble

DAEMONS = "/Library/LaunchDaemons"
OWN_ACCOUNT = "paddock"
FIRST_ID, LAST_ID = 400, 499
"""Where macOS has the accounts of services, below those of people."""
THROTTLE_SECONDS = 10
EVIDENCE_LINES = 5

COULD_NOT_SPAWN = 78
"""EX_CONFIG of sysexits(3): launchd could not start the program; it does not say why, so the adapter looks."""


class Launchd(ServiceManager):
    """One host's launchd."""

    title = "launchd"

    def __init__(self, system: System) -> None:
        self._system = system

    def own_account(self, name: str) -> str:
        """See the port: one account for all of this machine's agents."""
        return OWN_ACCOUNT

    async def why_absent(self) -> str:
        """See the port: macOS has always got it."""
        return ""

    async def account_trouble(self, account: str) -> Trouble | None:
        """See the port."""
        if await self._user_id(account):
            return None
        return Trouble(f"there is no account {account} on this host", (making_account("macos", account),))

    async def prepare(self, account: str, folders: Sequence[str], program: Sequence[str], secret: str) -> None:
        """See the port. Accounts of services need no password here."""
        if account == OWN_ACCOUNT and not await self._user_id(account):
            await self._make_own_account()
        await run_or_fail(self._system, ["chown", "-R", account, *folders])
        await self.prove(account, program)

    async def prove(self, account: str, program: Sequence[str]) -> None:
        """See the port."""
        await prove_program(self._system, ["sudo", "-u", account, "--"], account, program)

    async def install(self, definition: Definition, secret: str = "") -> None:
        """See the port."""
        if not await self._user_id(definition.account):
            raise CommandFailed(
                f"There is no account {definition.account} on this host. Make it first: "
                f"{making_account('macos', definition.account)}"
            )
        await self.uninstall(definition.name)
        place = self._daemon_file(definition.name)
        if definition.at_login:
            place = f"{await self._home_of(definition.account)}/Library/LaunchAgents/{definition.name}.plist"
        self._system.write_text(place, property_list(definition), 0o644)
        # launchd rejects a property list that others could have written.
        await run_or_fail(self._system, ["chown", definition.account if definition.at_login else "root:wheel", place])
        if definition.at_login:
            self._system.write_text(self._note(definition.name), f"{definition.account}\n{place}\n", 0o644)
        await run_or_fail(self._system, ["launchctl", "enable", await self._target(definition.name)])

    async def start(self, name: str) -> None:
        """See the port."""
        if not await self._printed(name):
            domain = (await self._target(name)).rsplit("/", 1)[0]
            await self._as_root("bootstrap", domain, self._place(name))
        await self._as_root("kickstart", await self._target(name))

    async def stop(self, name: str) -> None:
        """See the port. A loaded job would be started again, so it is taken out until it is started."""
        await self._as_root("bootout", await self._target(name))

    async def restart(self, name: str) -> None:
        """See the port."""
        if await self._printed(name):
            await self.stop(name)
        await self.start(name)

    async def uninstall(self, name: str) -> None:
        """See the port."""
        if await self._printed(name):
            await self.stop(name)
        self._system.remove_file(self._place(name))
        self._system.remove_file(self._note(name))

    async def state(self, name: str) -> ServiceState:
        """See the port."""
        text = self._system.read_text(self._place(name))
        if text is None:
            return ServiceState(name, "macos", "missing")
        listed = plistlib.loads(text.encode())
        printed = await self._printed(name)
        disabled = await self._system.run(["launchctl", "print-disabled", await self._domain(name)], PATIENCE)
        logged = (self._system.read_text(listed.get("StandardErrorPath", "")) or "").splitlines()
        state = read_state(name, listed, printed, disabled.stdout, logged, self._login_account(name))
        if state.cause is Cause.UNKNOWN and state.exit_status == COULD_NOT_SPAWN:
            return ServiceState(**{**vars(state), "cause": await self._why_not_spawned(state, listed)})
        if state.start_type == "at log-in" and not printed and await self._nobody_is_logged_in(name):
            return ServiceState(**{**vars(state), "running": "failed", "cause": Cause.NO_LOGIN})
        return state

    async def states(self, names: Sequence[str]) -> list[ServiceState]:
        """See the port. A service is known here by its label."""
        return [await self.state(name) for name in names]

    async def set_repeated(self, repeated: Repeated) -> None:
        """See the port: a daemon of root's with an interval."""
        await self.remove_repeated(repeated.name)
        place = self._daemon_file(repeated.name)
        listed = {
            "Label": repeated.name,
            "ProgramArguments": list(repeated.command),
            "StartInterval": repeated.seconds,
            "RunAtLoad": True,
            "ProcessType": "Background",
            **({"WatchPaths": [repeated.nudge]} if repeated.nudge else {}),
        }
        self._system.write_text(place, plistlib.dumps(listed).decode(), 0o644)
        await run_or_fail(self._system, ["chown", "root:wheel", place])
        await run_or_fail(self._system, ["launchctl", "enable", f"system/{repeated.name}"])
        await run_or_fail(self._system, ["launchctl", "bootstrap", "system", place])

    async def remove_repeated(self, name: str) -> None:
        """See the port."""
        if await self._printed(name):
            await self.stop(name)
        self._system.remove_file(self._daemon_file(name))

    async def set_on_demand(self, program: OnDemand) -> None:
        """See the port: a daemon of root, started on request only."""
        await self.remove_on_demand(program.name)
        place = self._daemon_file(program.name)
        listed = {"Label": program.name, "ProgramArguments": list(program.command), "ProcessType": "Background"}
        self._system.write_text(place, plistlib.dumps(listed).decode(), 0o644)
        await run_or_fail(self._system, ["chown", "root:wheel", place])
        await run_or_fail(self._system, ["launchctl", "enable", f"system/{program.name}"])
        await run_or_fail(self._system, ["launchctl", "bootstrap", "system", place])

    async def start_on_demand(self, name: str) -> None:
        """See the port."""
        await self._as_root("kickstart", f"system/{name}")

    async def stop_on_demand(self, name: str) -> None:
        """See the port."""
        await self._as_root("kill", "SIGTERM", f"system/{name}")

    async def is_at_work(self, name: str) -> bool:
        """See the port."""
        return "state = running" in await self._printed(name)

    async def remove_on_demand(self, name: str) -> None:
        """See the port."""
        await self.remove_repeated(name)

    def letting(self, account: str, service: str) -> tuple[str, ...]:
        """See the port: launchd lets only root, so by a rule of sudo."""
        verbs = (
            f"kickstart system/{service}",
            f"bootout system/{service}",
            f"bootstrap system {self._daemon_file(service)}",
        )
        rule = f"{account} ALL=(root) NOPASSWD: {', '.join(f'/bin/launchctl {verb}' for verb in verbs)}"
        return (f"echo {shlex.quote(rule)} | sudo tee -a /etc/sudoers.d/paddock",)

    async def _as_root(self, *words: str) -> None:
        """launchctl changes things for root only; an agent of another account goes by the rule of ``letting``."""
        become = [] if self._system.is_privileged() else ["sudo", "-n"]
        await run_or_fail(self._system, [*become, "launchctl", *words])

    async def _why_not_spawned(self, state: ServiceState, listed: dict[str, object]) -> Cause:
        if not await self._user_id(state.account):
            return Cause.NO_ACCOUNT
        if not self._system.executables(state.program):
            return Cause.NO_PROGRAM
        folder = await self._system.run(["test", "-d", str(listed.get("WorkingDirectory", "/"))], PATIENCE)
        return Cause.NO_FOLDER if folder.exit_code else Cause.ENDED

    async def _nobody_is_logged_in(self, name: str) -> bool:
        return bool((await self._system.run(["launchctl", "print", await self._domain(name)], PATIENCE)).exit_code)

    async def _printed(self, name: str) -> str:
        """What launchd says of the job; "" where it is not loaded."""
        done = await self._system.run(["launchctl", "print", await self._target(name)], PATIENCE)
        return "" if done.exit_code else done.stdout

    async def _target(self, name: str) -> str:
        return f"{await self._domain(name)}/{name}"

    async def _domain(self, name: str) -> str:
        account = self._login_account(name)
        return f"gui/{await self._user_id(account)}" if account else "system"

    def _login_account(self, name: str) -> str:
        return (self._system.read_text(self._note(name)) or "\n").splitlines()[0]

    def _place(self, name: str) -> str:
        noted = (self._system.read_text(self._note(name)) or "").splitlines()
        return noted[1] if len(noted) > 1 else self._daemon_file(name)

    def _daemon_file(self, name: str) -> str:
        return f"{DAEMONS}/{name}.plist"

    def _note(self, name: str) -> str:
        """Which account's log-in starts it, and where its list is: a list of a user's own is found by nothing else."""
        return f"/Library/Application Support/{name}.at-login"

    async def _user_id(self, account: str) -> str:
        done = await self._system.run(["id", "-u", account], PATIENCE)
        return "" if done.exit_code else done.stdout.strip()

    async def _home_of(self, account: str) -> str:
        read = await run_or_fail(self._system, ["dscl", ".", "-read", f"/Users/{account}", "NFSHomeDirectory"])
        return read.partition(":")[2].strip()

    async def _make_own_account(self) -> None:
        """An account without a password, not shown at the log-in window, with a home that builds can write to."""
        listed = await run_or_fail(self._system, ["dscl", ".", "-list", "/Users", "UniqueID"])
        taken = {line.split()[-1] for line in listed.splitlines() if line.split()}
        free = next(str(number) for number in range(FIRST_ID, LAST_ID) if str(number) not in taken)
        user = f"/Users/{OWN_ACCOUNT}"
        await run_or_fail(self._system, ["dscl", ".", "-create", user])
        for key, value in (
            ("UniqueID", free),
            ("PrimaryGroupID", "20"),
            ("UserShell", "/bin/zsh"),
            ("RealName", "Yellow Paddock agent"),
            ("NFSHomeDirectory", user),
            ("Password", "*"),
            ("IsHidden", "1"),
        ):
            await run_or_fail(self._system, ["dscl", ".", "-create", user, key, value])
        await run_or_fail(self._system, ["createhomedir", "-c", "-u", OWN_ACCOUNT])


def property_list(definition: Definition) -> str:
    """The property list, see launchd.plist(5)."""
    listed: dict[str, object] = {
        "Label": definition.name,
        "ProgramArguments": list(definition.command),
        "WorkingDirectory": definition.home,
        "EnvironmentVariables": dict(definition.environment),
        "RunAtLoad": True,
        "KeepAlive": {"SuccessfulExit": False},
        "ThrottleInterval": THROTTLE_SECONDS,
        "ExitTimeOut": 30,
        "ProcessType": "Standard",
        "StandardOutPath": f"{definition.home}/service.log",
        "StandardErrorPath": f"{definition.home}/service.log",
    }
    if definition.at_login:
        listed["LimitLoadToSessionType"] = "Aqua"
    else:
        listed["UserName"] = definition.account
    return plistlib.dumps(listed).decode()


def read_state(
    name: str, listed: dict[str, object], printed: str, disabled: str, evidence: Sequence[str], login_account: str = ""
) -> ServiceState:
    """Parses the output of ``launchctl print`` and ``print-disabled``; ``printed`` is "" for a job that is not loaded,
    ``login_account`` is the one whose log-in starts it."""
    printed_values = dict(re.findall(r"^\s*([a-z][a-z ]+?) = (.+)$", printed, re.MULTILINE))
    exited = re.match(r"\d+", printed_values.get("last exit code", ""))
    status = int(exited.group()) if exited else None
    killed = printed_values.get("last terminating signal", "")
    is_disabled = re.search(rf'"{re.escape(name)}" => (disabled|true)', disabled) is not None
    program = listed.get("ProgramArguments")
    at_login = "LimitLoadToSessionType" in listed
    running = _running(printed_values, status)
    runs = printed_values.get("runs", "")
    cause = Cause.UNKNOWN
    if running != "running":
        if is_disabled and not printed:
            cause = Cause.DISABLED
        elif status and status != COULD_NOT_SPAWN:
            cause = AGENT_CAUSES.get(status, Cause.ENDED)
        elif killed and not status:
            cause = Cause.KILLED
    return ServiceState(
        name=name,
        family="macos",
        running=running,
        starts_at_boot=not is_disabled,
        start_type="disabled" if is_disabled else "at log-in" if at_login else "at boot",
        account=str(listed.get("UserName") or login_account),
        cause=cause,
        code=f"exit code {status}" if status and running != "running" else "",
        exit_status=status,
        result=killed,
        restarts=max(0, int(runs) - 1) if runs.isdecimal() else 0,
        program=str(program[0]) if isinstance(program, list) and program else "",
        evidence=tuple(line[:300] for line in evidence[-EVIDENCE_LINES:]),
    )


def _running(printed_values: dict[str, str], status: int | None) -> Running:
    match printed_values.get("state"):
        case "running":
            return "running"
        case "spawn scheduled":
            return "trying again"
        case None:
            return "stopped"
        case _:
            return "failed" if status else "stopped"

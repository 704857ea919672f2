"""Windows: a service of the service control manager."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Sequence
from typing import TypeVar
from xml.sax.saxutils import escape

from ..errors import CommandFailed
from ..system import System
from . import windows_control as windows
from .commands import PATIENCE, prove_program, run_or_fail
from .diagnosis import making_account, quoted
from .port import AGENT_CAUSES, Cause, Definition, OnDemand, Repeated, Running, ServiceManager, ServiceState, Trouble
from .windows_control import Configuration, ServiceControl, ServiceError, Status

RESTART_AFTER = (5, 30, 60)
EVIDENCE_LINES = 5
BUILT_IN = ("NT SERVICE\\", "NT AUTHORITY\\", "LocalSystem")
"""Accounts that Windows keeps itself: they need no password and may always log on as a service."""

KEEPERS = ("*S-1-5-18", "*S-1-5-32-544")
"""The system and the administrators, by their numbers: their names depend on the language."""

_START_TYPES = {windows.AUTO_START: "automatic", windows.DEMAND_START: "manual", windows.DISABLED: "disabled"}
_CAUSES = {
    windows.FILE_NOT_FOUND: Cause.NO_PROGRAM,
    windows.SERVICE_REQUEST_TIMEOUT: Cause.NO_ANSWER,
    windows.INVALID_SERVICE_ACCOUNT: Cause.NO_ACCOUNT,
    windows.SERVICE_DISABLED: Cause.DISABLED,
    windows.SERVICE_LOGON_FAILED: Cause.LOGON_FAILED,
}

T = TypeVar("T")


class WindowsServices(ServiceManager):
    """One host's service control manager."""

    title = "the service control manager"

    def __init__(self, system: System, control: ServiceControl) -> None:
        self._system = system
        self._control = control

    def own_account(self, name: str) -> str:
        """See the port: a virtual account, which Windows keeps for this one service. It has no password."""
        return f"NT SERVICE\\{name}"

    async def why_absent(self) -> str:
        """See the port: Windows has always got it."""
        return ""

    async def account_trouble(self, account: str) -> Trouble | None:
        """See the port. The right to log on as a service is given when the service is set up."""
        if _is_built_in(account) or _reported_errors(self._control.has_account, account):
            return None
        return Trouble(f"there is no account {account} on this host", (making_account("windows", account),))

    async def prepare(self, account: str, folders: Sequence[str], program: Sequence[str], secret: str) -> None:
        """See the port. A virtual account is there once its service is, so its folders are given to it later."""
        if _is_built_in(account):
            return
        if trouble := await self.account_trouble(account):
            raise CommandFailed(f"{trouble.sentence}. Make it first.", *trouble.remedy)
        if not secret:
            raise CommandFailed(
                f"Windows wants the password of {account} to run a service under it. Give it with --ask-password or in "
                "PADDOCK_ACCOUNT_PASSWORD, or leave out --user: the service then gets an account without one.",
                f"paddock-agent service install --user '{account}' --ask-password",
            )
        if not _reported_errors(self._control.may_log_on_as_service, account):
            _reported_errors(self._control.let_log_on_as_service, account)
        await self._give(account, folders)

    async def prove(self, account: str, program: Sequence[str]) -> None:
        """See the port. Windows lets no program become another account without its password: the system runs it."""
        await prove_program(self._system, [], account, program)

    async def install(self, definition: Definition, secret: str = "") -> None:
        """See the port."""
        configuration = Configuration(
            command=subprocess.list2cmdline(definition.command),
            account=definition.account,
            start=windows.AUTO_START,
            title=definition.description.partition(", for ")[0],
            description=definition.description,
            restart_after=RESTART_AFTER,
        )
        _reported_errors(lambda: self._control.set_up(definition.name, configuration, secret, definition.environment))
        if _is_built_in(definition.account):
            await self._give(definition.account, [definition.home])

    async def _give(self, account: str, folders: Sequence[str]) -> None:
        for folder in folders:
            # Full control for the account, the system and administrators, for all that comes into the folder; nothing
            # is inherited from above, where everybody may read: the agent's key lies there.
            holders = [account, *KEEPERS]
            grants = [word for holder in holders for word in ("/grant:r", f"{holder}:(OI)(CI)F")]
            await run_or_fail(self._system, ["icacls", folder, "/inheritance:r", *grants, "/Q"])

    async def start(self, name: str) -> None:
        """See the port. Raises nothing where it fails to start: ``state`` says why."""
        self._try(self._control.start, name)

    async def stop(self, name: str) -> None:
        """See the port."""
        self._try(self._control.stop, name)

    async def restart(self, name: str) -> None:
        """See the port."""
        await self.stop(name)
        await self.start(name)

    def _try(self, do: Callable[[str], None], name: str) -> None:
        try:
            do(name)
        except ServiceError as error:
            if error.number in (windows.ACCESS_DENIED, windows.SERVICE_DOES_NOT_EXIST):
                raise CommandFailed(f"{name}: {error} (error {error.number})") from None

    async def uninstall(self, name: str) -> None:
        """See the port."""
        if _reported_errors(self._control.configuration, name) is not None:
            await self.stop(name)
            _reported_errors(self._control.delete, name)

    async def states(self, names: Sequence[str]) -> list[ServiceState]:
        """See the port."""
        return [await self.state(name) for name in names]

    async def set_repeated(self, repeated: Repeated) -> None:
        """See the port: a scheduled task of the system's."""
        place = f"{repeated.folder}\\task.xml"
        self._system.write_text(place, task(repeated), 0o600)
        await run_or_fail(self._system, ["schtasks", "/Create", "/TN", repeated.name, "/XML", place, "/F"])
        await run_or_fail(self._system, ["schtasks", "/Run", "/TN", repeated.name])

    async def remove_repeated(self, name: str) -> None:
        """See the port."""
        known = await self._system.run(["schtasks", "/Query", "/TN", name], PATIENCE)
        if not known.exit_code:
            await run_or_fail(self._system, ["schtasks", "/Delete", "/TN", name, "/F"])

    async def set_on_demand(self, program: OnDemand) -> None:
        """See the port: a scheduled task without a time."""
        place = f"{program.folders[0]}\\upgrade.xml"
        self._system.write_text(place, on_demand_task(program), 0o600)
        await run_or_fail(self._system, ["schtasks", "/Create", "/TN", program.name, "/XML", place, "/F"])

    async def start_on_demand(self, name: str) -> None:
        """See the port."""
        await run_or_fail(self._system, ["schtasks", "/Run", "/TN", name])

    async def stop_on_demand(self, name: str) -> None:
        """See the port."""
        await run_or_fail(self._system, ["schtasks", "/End", "/TN", name])

    async def is_at_work(self, name: str) -> bool:
        """See the port."""
        listed = await self._system.run(["schtasks", "/Query", "/TN", name, "/FO", "CSV", "/NH"], PATIENCE)
        return '"Running"' in listed.stdout

    async def remove_on_demand(self, name: str) -> None:
        """See the port."""
        await self.remove_repeated(name)

    def letting(self, account: str, service: str) -> tuple[str, ...]:
        """See the port: start, stop and query for the account, in front of what the service's descriptor has."""
        name, who = quoted("windows", service), quoted("windows", account)
        return (
            "$sid = (New-Object "
            f"Security.Principal.NTAccount({who})).Translate([Security.Principal.SecurityIdentifier])",
            f"$had = (sc.exe sdshow {name} | Out-String).Trim()",
            f"sc.exe sdset {name} $had.Replace('D:', \"D:(A;;RPWPLC;;;$sid)\")",
        )

    async def state(self, name: str) -> ServiceState:
        """See the port."""
        configuration = _reported_errors(self._control.configuration, name)
        if configuration is None:
            return ServiceState(name, "windows", "missing")
        status = _reported_errors(self._control.status, name)
        cause = read_cause(configuration, status)
        if cause is Cause.LOGON_FAILED and not _is_built_in(configuration.account):
            if not _reported_errors(self._control.has_account, configuration.account):
                cause = Cause.NO_ACCOUNT
            elif not _reported_errors(self._control.may_log_on_as_service, configuration.account):
                cause = Cause.NO_LOGON_RIGHT
        running = _running(status, cause)
        return ServiceState(
            name=name,
            family="windows",
            running=running,
            starts_at_boot=configuration.start == windows.AUTO_START,
            start_type=_START_TYPES.get(configuration.start, "manual"),
            account=configuration.account,
            cause=Cause.UNKNOWN if running == "running" else cause,
            code=_code(status) if cause else "",
            exit_status=status.specific if status.exit == windows.SERVICE_SPECIFIC_ERROR else None,
            result=f"error {status.exit}" if status.exit else "",
            program=_program(configuration.command),
            evidence=tuple(line[:300] for line in _reported_errors(lambda: self._control.events(name, EVIDENCE_LINES))),
        )


_TASK = """\
<Task version="1.2" xmlns="http://schemas.microsoft.com/windows/2004/02/mit/task">
  <RegistrationInfo><Description>{description}</Description></RegistrationInfo>
  <Triggers>{triggers}</Triggers>
  <Principals><Principal id="Author"><UserId>S-1-5-18</UserId></Principal></Principals>
  <Settings>
    <MultipleInstancesPolicy>IgnoreNew</MultipleInstancesPolicy>
    <DisallowStartIfOnBatteries>false</DisallowStartIfOnBatteries>
    <StopIfGoingOnBatteries>false</StopIfGoingOnBatteries>
    <ExecutionTimeLimit>{limit}</ExecutionTimeLimit>
    <Hidden>true</Hidden>
  </Settings>
  <Actions Context="Author">
    <Exec><Command>{program}</Command><Arguments>{arguments}</Arguments></Exec>
  </Actions>
</Task>
"""
_EVERY = """
    <BootTrigger><Delay>PT5S</Delay></BootTrigger>
    <TimeTrigger>
      <StartBoundary>2020-01-01T00:00:00</StartBoundary>
      <Repetition><Interval>PT{minutes}M</Interval></Repetition>
    </TimeTrigger>
  """


def task(repeated: Repeated) -> str:
    """The definition of a scheduled task, as Task Scheduler takes it. Its shortest interval is a minute."""
    return _task(repeated, _EVERY.format(minutes=max(1, repeated.seconds // 60)), "PT2M")


def on_demand_task(program: OnDemand) -> str:
    """The definition of a task that runs when it is asked for, as long as it takes."""
    return _task(program, "", "PT0S")


def _task(wanted: Repeated | OnDemand, triggers: str, limit: str) -> str:
    program, *arguments = wanted.command
    return _TASK.format(
        description=escape(wanted.description),
        triggers=triggers,
        limit=limit,
        program=escape(program),
        arguments=escape(subprocess.list2cmdline(arguments)),
    )


def read_cause(configuration: Configuration, status: Status) -> Cause:
    """Why it does not run, from how it is set up and how it ended."""
    if status.state == windows.RUNNING:
        return Cause.UNKNOWN
    if status.exit == windows.SERVICE_SPECIFIC_ERROR:
        return AGENT_CAUSES.get(status.specific, Cause.ENDED)
    if status.exit in (0, windows.SERVICE_NEVER_STARTED):
        return Cause.DISABLED if configuration.start == windows.DISABLED else Cause.UNKNOWN
    return _CAUSES.get(status.exit, Cause.KILLED)


def _running(status: Status, cause: Cause) -> Running:
    if status.state in (windows.RUNNING, windows.START_PENDING):
        return "running" if status.state == windows.RUNNING else "trying again"
    return "failed" if cause not in (Cause.UNKNOWN, Cause.DISABLED) else "stopped"


def _code(status: Status) -> str:
    return f"status {status.specific}" if status.exit == windows.SERVICE_SPECIFIC_ERROR else f"error {status.exit}"


def _program(command: str) -> str:
    return command[1:].partition('"')[0] if command.startswith('"') else command.partition(" ")[0]


def _is_built_in(account: str) -> bool:
    return account.startswith(BUILT_IN)


def _reported_errors(do: Callable[..., T], *arguments: str) -> T:
    """Does it; what Windows refuses is raised as CommandFailed with its words and number."""
    try:
        return do(*arguments)
    except ServiceError as error:
        raise CommandFailed(f"{error} (error {error.number})") from None

"""Linux: systemd, through systemctl."""

from __future__ import annotations

import json
import re
import shlex
from collections.abc import Sequence
from dataclasses import replace

from ..errors import CommandFailed
from ..system import System
from .commands import PATIENCE, prove_program, run_or_fail
from .diagnosis import making_account
from .port import AGENT_CAUSES, Cause, Definition, OnDemand, Repeated, Running, ServiceManager, ServiceState, Trouble

FOLDER = "/etc/systemd/system"
ENVIRONMENTS = "/etc/paddock-agent"
OWN_ACCOUNT = "paddock"
EVIDENCE_LINES = 5

_UNIT = """\
# Written by paddock-agent. Changes are lost when the service is installed again; put yours into a drop-in:
# systemctl edit {name}
[Unit]
Description={description}
Wants=network-online.target
After=network-online.target
StartLimitIntervalSec=120
StartLimitBurst=5

[Service]
Type=exec
User={account}
WorkingDirectory={home}
# What the agent starts with; change it there, and restart the service.
EnvironmentFile=-{environment_file}
ExecStart={command}
Restart=on-failure
RestartSec=5
RestartPreventExitStatus={no_use}
# Scripts get their own end from the agent; what is left after its goodbye is ended with it.
KillMode=mixed
TimeoutStopSec=30
# A build that eats all memory is ended; the agent that has to report it is not.
OOMPolicy=continue
# As much as builds can do without: they may use sudo, containers and their own temporary files.
ProtectClock=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes

[Install]
WantedBy=multi-user.target
"""

_REPEATED_SERVICE = """\
[Unit]
Description={description}
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
# It asks the service manager as the system, reads the agent's folder, and tries as the agent's account what the agent
# does: so it has to see the same files. It can read all of them, become another account, and no more.
EnvironmentFile=-{environment_file}
ExecStart={command}
TimeoutStartSec=180
CapabilityBoundingSet=CAP_DAC_READ_SEARCH CAP_SETUID CAP_SETGID CAP_KILL
NoNewPrivileges=yes
ProtectSystem=full
ReadWritePaths={folder}
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectControlGroups=yes
RestrictSUIDSGID=yes
MemoryDenyWriteExecute=no
"""
_REPEATED_TIMER = """\
[Unit]
Description={description}

[Timer]
OnBootSec=5
OnActiveSec=0
OnUnitActiveSec={seconds}
AccuracySec=1

[Install]
WantedBy=timers.target
"""

_NUDGE_PATH = """\
[Unit]
Description={description}

[Path]
PathChanged={nudge}

[Install]
WantedBy=paths.target
"""
_ON_DEMAND = """\
[Unit]
Description={description}
Wants=network-online.target
After=network-online.target

[Service]
Type=exec
# It installs the agent's program, and restarts the agent's service: never when the service itself is stopped.
EnvironmentFile=-{environment_file}
ExecStart={command}
TimeoutStopSec=20
CapabilityBoundingSet=CAP_DAC_OVERRIDE CAP_DAC_READ_SEARCH CAP_CHOWN CAP_FOWNER CAP_SETUID CAP_SETGID CAP_KILL
NoNewPrivileges=yes
ProtectSystem=full
ReadWritePaths={folders}
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectControlGroups=yes
RestrictSUIDSGID=yes
"""

_ASKED = (
    "LoadState", "ActiveState", "SubState", "UnitFileState", "Result", "ExecMainStatus", "ExecMainCode", "NRestarts",
    "User", "StateChangeTimestamp", "ExecStart", "FragmentPath",
)  # fmt: skip
_CODE_EXITED = "1"


_CAUSES = {
    200: Cause.NO_FOLDER,
    203: Cause.NO_PROGRAM,
    216: Cause.NO_GROUP,
    217: Cause.NO_ACCOUNT,
    **AGENT_CAUSES,
}
"""200 to 242 are the service manager's own (systemd.exec(5), "Process exit codes"): it could not start the program."""


class Systemd(ServiceManager):
    """One host's systemd."""

    title = "systemd"

    def __init__(self, system: System) -> None:
        self._system = system

    def own_account(self, name: str) -> str:
        """See the port: one account for all of this machine's agents."""
        return OWN_ACCOUNT

    async def why_absent(self) -> str:
        """See the port."""
        return "" if "systemd" in (self._system.read_text("/proc/1/comm") or "") else "there is no systemd here"

    async def account_trouble(self, account: str) -> Trouble | None:
        """See the port."""
        if await self._has_account(account):
            return None
        return Trouble(f"there is no account {account} on this host", (making_account("linux", account),))

    async def prepare(self, account: str, folders: Sequence[str], program: Sequence[str], secret: str) -> None:
        """See the port. Accounts of services need no password here."""
        if account == OWN_ACCOUNT and not await self._has_account(account):
            made = ["useradd", "--system", "--user-group", "--home-dir", folders[0], "--shell", "/bin/bash", account]
            await run_or_fail(self._system, made)
        await run_or_fail(self._system, ["chown", "-R", f"{account}:", *folders])
        await self.prove(account, program)

    async def prove(self, account: str, program: Sequence[str]) -> None:
        """See the port."""
        await prove_program(self._system, ["runuser", "-u", account, "--"], account, program)

    async def install(self, definition: Definition, secret: str = "") -> None:
        """See the port."""
        await self._demand_account(definition.account)
        await run_or_fail(self._system, ["mkdir", "-p", ENVIRONMENTS])
        file = environment_file(definition.name)
        self._system.write_text(file, environment_text(definition, self._system.read_text(file) or ""), 0o644)
        self._system.write_text(f"{FOLDER}/{definition.name}", unit_file(definition), 0o644)
        await self._ask("daemon-reload")
        await self._ask("enable", definition.name)

    async def start(self, name: str) -> None:
        """See the port. Forgets an earlier start limit first."""
        await self._system.run(["systemctl", "reset-failed", name], PATIENCE)
        await self._ask("start", name)

    async def stop(self, name: str) -> None:
        """See the port."""
        await self._ask("stop", name)

    async def restart(self, name: str) -> None:
        """See the port."""
        await self._system.run(["systemctl", "reset-failed", name], PATIENCE)
        await self._ask("restart", name)

    async def uninstall(self, name: str) -> None:
        """See the port."""
        if (await self.state(name)).running != "missing":
            await self._ask("disable", "--now", name)
        self._system.remove_file(f"{FOLDER}/{name}")
        self._system.remove_file(environment_file(name))
        await self._ask("daemon-reload")
        await self._system.run(["systemctl", "reset-failed", name], PATIENCE)

    async def state(self, name: str) -> ServiceState:
        """See the port."""
        shown = await self._ask("show", name, "--property=" + ",".join(_ASKED))
        logged = await self._system.run(
            ["journalctl", "--unit", name, "--lines", str(EVIDENCE_LINES), "--output=cat", "--no-pager"], PATIENCE
        )
        state = read_state(name, shown, logged.stdout.splitlines())
        fragment = _properties(shown).get("FragmentPath", "")
        if not state.unit_trouble and fragment and self._system.changed_at(fragment) is None:
            state = replace(state, unit_trouble="deleted")
        return state

    async def states(self, names: Sequence[str]) -> list[ServiceState]:
        """See the port: one question for all of them. A name without an ending is that of a service."""
        if not names:
            return []
        units = [name if "." in name else f"{name}.service" for name in names]
        shown = (await self._ask("show", *units, "--property=" + ",".join(_ASKED))).rstrip("\n").split("\n\n")
        return [read_state(name, one, ()) for name, one in zip(names, shown, strict=True)]

    async def set_repeated(self, repeated: Repeated) -> None:
        """See the port: a timer, and the service that it starts."""
        words = {
            "description": repeated.description,
            "command": " ".join(_quoted(word) for word in repeated.command),
            "folder": _quoted(repeated.folder),
            "seconds": repeated.seconds,
            "environment_file": environment_file(repeated.service),
        }
        self._system.write_text(f"{FOLDER}/{repeated.name}.service", _REPEATED_SERVICE.format(**words), 0o644)
        self._system.write_text(f"{FOLDER}/{repeated.name}.timer", _REPEATED_TIMER.format(**words), 0o644)
        if repeated.nudge:
            text = _NUDGE_PATH.format(description=repeated.description, nudge=_escaped(repeated.nudge))
            self._system.write_text(f"{FOLDER}/{repeated.name}.path", text, 0o644)
        await self._ask("daemon-reload")
        await self._ask("enable", f"{repeated.name}.timer")
        await self._ask("restart", f"{repeated.name}.timer")
        if repeated.nudge:
            await self._ask("enable", f"{repeated.name}.path")
            await self._ask("restart", f"{repeated.name}.path")

    async def remove_repeated(self, name: str) -> None:
        """See the port."""
        if self._system.read_text(f"{FOLDER}/{name}.timer") is None:
            return
        await self._ask("disable", "--now", f"{name}.timer")
        if self._system.read_text(f"{FOLDER}/{name}.path") is not None:
            await self._ask("disable", "--now", f"{name}.path")
        for ending in ("timer", "path", "service"):
            self._system.remove_file(f"{FOLDER}/{name}.{ending}")
        await self._ask("daemon-reload")

    async def set_on_demand(self, program: OnDemand) -> None:
        """See the port: a service that nothing wants at boot."""
        text = _ON_DEMAND.format(
            description=program.description,
            command=" ".join(_quoted(word) for word in program.command),
            folders=" ".join(_quoted(folder) for folder in program.folders),
            environment_file=environment_file(program.service),
        )
        self._system.write_text(f"{FOLDER}/{program.name}.service", text, 0o644)
        await self._ask("daemon-reload")

    async def start_on_demand(self, name: str) -> None:
        """See the port."""
        await self._system.run(["systemctl", "reset-failed", f"{name}.service"], PATIENCE)
        await self._ask("start", "--no-block", f"{name}.service")

    async def stop_on_demand(self, name: str) -> None:
        """See the port."""
        await self._ask("stop", f"{name}.service")

    async def is_at_work(self, name: str) -> bool:
        """See the port."""
        shown = _properties(await self._ask("show", f"{name}.service", "--property=ActiveState"))
        return shown.get("ActiveState") in ("active", "activating", "reloading", "deactivating")

    async def remove_on_demand(self, name: str) -> None:
        """See the port."""
        if self._system.read_text(f"{FOLDER}/{name}.service") is None:
            return
        await self._ask("stop", f"{name}.service")
        self._system.remove_file(f"{FOLDER}/{name}.service")
        await self._ask("daemon-reload")

    def letting(self, account: str, service: str) -> tuple[str, ...]:
        """See the port: a rule of polkit, by which systemd decides who may."""
        unit = service if "." in service else f"{service}.service"
        rule = (
            "polkit.addRule(function(action, subject) { "
            'if (action.id == "org.freedesktop.systemd1.manage-units" && '
            f'action.lookup("unit") == {json.dumps(unit)} && subject.user == {json.dumps(account)}) '
            "return polkit.Result.YES; });"
        )
        place = f"/etc/polkit-1/rules.d/60-paddock-{re.sub('[^A-Za-z0-9]+', '-', unit)}.rules"
        return (f"echo {shlex.quote(rule)} | sudo tee {place}",)

    async def _ask(self, *words: str) -> str:
        answer = await self._system.run(["systemctl", *words], PATIENCE)
        if answer.exit_code:
            raise CommandFailed(f"systemctl {' '.join(words[:2])}: {answer.stderr.strip() or answer.stdout.strip()}")
        return answer.stdout

    async def _has_account(self, account: str) -> bool:
        return (await self._system.run(["getent", "passwd", account], PATIENCE)).exit_code == 0

    async def _demand_account(self, account: str) -> None:
        if not await self._has_account(account):
            raise CommandFailed(
                f"There is no account {account} on this host. Make it first: {making_account('linux', account)}"
            )


def environment_file(name: str) -> str:
    """Where the environment of a service is kept."""
    return f"{ENVIRONMENTS}/{name.removesuffix('.service')}.env"


def environment_text(definition: Definition, so_far: str = "") -> str:
    """The environment file: quoted as systemd.exec(5) wants it. What people have set in it ``so_far`` stays."""
    header = f"# The environment of {definition.name}. Restart the service after a change."
    lines = so_far.splitlines() or [header]
    known = {line.partition("=")[0].strip() for line in lines if not line.lstrip().startswith(("#", ";"))}
    for name, value in definition.environment.items():
        if name in known:
            continue
        escaped = value.replace("\\", "\\\\").replace('"', '\\"').replace("$", "\\$").replace("`", "\\`")
        lines.append(f'{name}="{escaped}"')
    return "\n".join(lines) + "\n"


def unit_file(definition: Definition) -> str:
    """The text of the unit."""
    return _UNIT.format(
        name=definition.name,
        description=definition.description,
        account=definition.account,
        home=_escaped(definition.home),
        environment_file=environment_file(definition.name),
        command=" ".join(_quoted(word) for word in definition.command),
        no_use=" ".join(map(str, AGENT_CAUSES)),
    )


def _escaped(text: str) -> str:
    """Per cent signs are systemd's own."""
    return text.replace("%", "%%")


def _quoted(word: str) -> str:
    escaped = _escaped(word).replace("\\", "\\\\").replace('"', '\\"').replace("$", "$$")
    return f'"{escaped}"'


def _properties(shown: str) -> dict[str, str]:
    return dict(line.split("=", 1) for line in shown.splitlines() if "=" in line)


def read_state(name: str, shown: str, evidence: Sequence[str]) -> ServiceState:
    """Reads what ``systemctl show`` printed."""
    properties = _properties(shown)
    status = properties.get("ExecMainStatus", "")
    exited = properties.get("ExecMainCode") == _CODE_EXITED and status.isdecimal()
    restarts = properties.get("NRestarts", "")
    program = properties.get("ExecStart", "").partition("path=")[2].partition(" ;")[0]
    exit_status = int(status) if exited else None
    result = properties.get("Result", "")
    cause = _cause(exit_status, result)
    return ServiceState(
        name=name,
        family="linux",
        running=_running(properties),
        starts_at_boot=properties.get("UnitFileState") == "enabled",
        start_type=properties.get("UnitFileState", ""),
        account=properties.get("User", "") or "root",
        cause=cause,
        code=f"status {exit_status}" if cause and cause is not Cause.ENDED and exit_status else "",
        exit_status=exit_status,
        result=result,
        restarts=int(restarts) if restarts.isdecimal() else 0,
        since=properties.get("StateChangeTimestamp", ""),
        program=program,
        unit_trouble=properties.get("LoadState", "")
        if properties.get("LoadState") not in (None, "", "loaded", "not-found")
        else "",
        evidence=tuple(line[:300] for line in evidence[-EVIDENCE_LINES:]),
    )


def _cause(exit_status: int | None, result: str) -> Cause:
    """What its last end says about the next start. After a good end, or none, nothing is wrong."""
    if exit_status in _CAUSES:
        return _CAUSES[exit_status]
    if exit_status:
        return Cause.TOO_MANY_STARTS if result == "start-limit-hit" else Cause.ENDED
    return Cause.UNKNOWN if result in ("", "success") else Cause.KILLED


def _running(properties: dict[str, str]) -> Running:
    if properties.get("LoadState") == "not-found":
        return "missing"
    match properties.get("ActiveState"):
        case "active" | "reloading":
            return "running"
        case "failed":
            return "failed"
        case "activating" if properties.get("SubState") == "auto-restart":
            return "trying again"
        case "activating":
            return "running"
        case _:
            return "stopped"

"""Linux: systemd, through systemctl."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import CommandFailed
from ..system import System
from .port import Definition, Running, ServiceManager, ServiceState

FOLDER = "/etc/systemd/system"
PATIENCE = 60.0
EVIDENCE_LINES = 5

NO_USE_IN_TRYING_AGAIN = (5, 6)
"""Exit codes of the agent after which a restart changes nothing: not joined, and a key that is not known."""

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
Environment="PATH={path}"
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

_ASKED = (
    "LoadState", "ActiveState", "SubState", "UnitFileState", "Result", "ExecMainStatus", "ExecMainCode", "NRestarts",
    "User", "StateChangeTimestamp", "ExecStart",
)  # fmt: skip
_CODE_EXITED = "1"


class Systemd(ServiceManager):
    """One host's systemd."""

    def __init__(self, system: System) -> None:
        self._system = system

    async def install(self, definition: Definition) -> None:
        """See the port."""
        await self._demand_account(definition.account)
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
        await self._ask("daemon-reload")
        await self._system.run(["systemctl", "reset-failed", name], PATIENCE)

    async def state(self, name: str) -> ServiceState:
        """See the port."""
        shown = await self._ask("show", name, "--property=" + ",".join(_ASKED))
        account = _properties(shown).get("User", "")
        logged = await self._system.run(
            ["journalctl", "--unit", name, "--lines", str(EVIDENCE_LINES), "--output=cat", "--no-pager"], PATIENCE
        )
        return read_state(name, shown, await self._has_account(account or "root"), logged.stdout.splitlines())

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
                f"There is no account {account} on this host. Make it first: "
                f"useradd --system --create-home --shell /bin/bash {account}"
            )


def unit_file(definition: Definition) -> str:
    """The text of the unit."""
    return _UNIT.format(
        name=definition.name,
        description=definition.description,
        account=definition.account,
        home=_escaped(definition.home),
        path=_escaped(definition.path),
        command=" ".join(_quoted(word) for word in definition.command),
        no_use=" ".join(map(str, NO_USE_IN_TRYING_AGAIN)),
    )


def _escaped(text: str) -> str:
    """Per cent signs are systemd's own."""
    return text.replace("%", "%%")


def _quoted(word: str) -> str:
    escaped = _escaped(word).replace("\\", "\\\\").replace('"', '\\"').replace("$", "$$")
    return f'"{escaped}"'


def _properties(shown: str) -> dict[str, str]:
    return dict(line.split("=", 1) for line in shown.splitlines() if "=" in line)


def read_state(name: str, shown: str, account_exists: bool, evidence: Sequence[str]) -> ServiceState:
    """Reads what ``systemctl show`` printed."""
    said = _properties(shown)
    status = said.get("ExecMainStatus", "")
    exited = said.get("ExecMainCode") == _CODE_EXITED and status.isdecimal()
    restarts = said.get("NRestarts", "")
    program = said.get("ExecStart", "").partition("path=")[2].partition(" ;")[0]
    return ServiceState(
        name=name,
        running=_running(said),
        starts_at_boot=said.get("UnitFileState") == "enabled",
        account=said.get("User", "") or "root",
        account_exists=account_exists,
        exit_status=int(status) if exited else None,
        result=said.get("Result", ""),
        restarts=int(restarts) if restarts.isdecimal() else 0,
        since=said.get("StateChangeTimestamp", ""),
        program=program,
        evidence=tuple(line[:300] for line in evidence[-EVIDENCE_LINES:]),
    )


def _running(said: dict[str, str]) -> Running:
    if said.get("LoadState") == "not-found":
        return "missing"
    match said.get("ActiveState"):
        case "active" | "reloading":
            return "running"
        case "failed":
            return "failed"
        case "activating" if said.get("SubState") == "auto-restart":
            return "trying again"
        case "activating":
            return "running"
        case _:
            return "stopped"

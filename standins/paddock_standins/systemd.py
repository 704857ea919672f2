"""systemd as the stand-ins have it: what systemctl and its like answer, in the states and statuses of a real one."""

from __future__ import annotations

import re
import shlex
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from paddock_agent.system.port import Completed

if TYPE_CHECKING:
    from .parts_of_system import SimulatedParts

FOLDER = "/etc/systemd/system"
NO_SUCH_USER = 217

STARTERS = (".timer", ".path")
"""Units that only start others. What a path unit would see, the machine itself looks for."""


@dataclass
class _Unit:
    account: str = "root"
    program: str = ""
    enabled: bool = False
    active: str = "inactive"
    status: int = 0
    restarts: int = 0
    is_own: bool = False
    """It came with the machine, and starts no program of ours."""


@dataclass
class SimulatedSystemd:
    """One host's, with the names of its accounts. ``run_program`` starts a unit's program for an account, and returns
    an exit code if that ends at once."""

    system: SimulatedParts
    accounts: set[str]
    run_program: Callable[[str, str], int | None]
    stop_program: Callable[[str], None]
    units: dict[str, _Unit] = field(default_factory=dict)

    def answer(self, command: Sequence[str]) -> Completed | None:
        """The answer to one of the commands that this stands in for; None for others."""
        match list(command):
            case ["systemctl", verb, *rest]:
                return self._systemctl(verb, rest)
            case ["journalctl", "--unit", name, *_]:
                unit = self.units.get(name)
                return _completed(f"{name}: Main process exited, status={unit.status}" if unit and unit.status else "")
            case ["getent", "passwd", account]:
                return _completed(account) if account in self.accounts else _failed(2, "")
            case ["useradd", *words]:
                self.accounts.add(words[-1])
                return _completed("")
            case ["chown" | "mkdir", *_]:
                return _completed("")
            case ["runuser", "-u", account, "--", *_]:
                known = account in self.accounts
                return _completed("0.1.0") if known else _failed(1, f"runuser: user {account} does not exist")
        return None

    def set_service(self, name: str, running: str) -> None:
        """A service that the machine came with."""
        active = "active" if running == "running" else "inactive"
        self.units[f"{name}.service"] = _Unit(enabled=True, active=active, is_own=True)

    def _systemctl(self, verb: str, rest: list[str]) -> Completed:
        names = [word for word in rest if not word.startswith("--")]
        match verb:
            case "daemon-reload":
                self._read_units()
            case "reset-failed":
                for name in names:
                    if name in self.units:
                        self.units[name].status = 0
            case "show":
                return _completed("\n\n".join(self._shown(name) for name in names))
            case "enable" | "disable":
                for name in names:
                    self._enable(name, verb == "enable")
                if "--now" in rest:
                    return self._systemctl("stop", names)
            case "start" | "restart":
                if missing := [name for name in names if name not in self.units and not name.endswith(STARTERS)]:
                    return _failed(5, f"Failed to {verb} {missing[0]}: Unit {missing[0]} not found.")
                for name in names:
                    self._start(name)
            case "stop":
                for name in names:
                    self._stop(name)
            case _:
                return _failed(1, f"Unknown command verb {verb}.")
        return _completed("")

    def _read_units(self) -> None:
        for place, text in self.system.written_below(FOLDER):
            name = place.rsplit("/", 1)[1]
            if not name.endswith(".service") or "Type=oneshot" in text:
                continue
            unit = self.units.setdefault(name, _Unit())
            unit.account = _setting(text, "User") or "root"
            unit.program = shlex.split(_setting(text, "ExecStart"))[0]
        for name in [name for name, unit in self.units.items() if not unit.is_own]:
            if self.system.read_text(f"{FOLDER}/{name}") is None:
                del self.units[name]

    def _enable(self, name: str, enabled: bool) -> None:
        if name.endswith(".timer"):
            watch = name.removesuffix(".timer")
            text = self.system.read_text(f"{FOLDER}/{watch}.service") or ""
            if enabled and (command := _setting(text, "ExecStart")):
                self.system.repeat(watch, shlex.split(command))
            elif not enabled:
                self.system.repeated.pop(watch, None)
        elif name in self.units:
            self.units[name].enabled = enabled

    def _start(self, name: str) -> None:
        if name.endswith(STARTERS):
            return
        unit = self.units[name]
        if unit.active == "active" and not unit.is_own:
            self._stop(name)
        unit.active, unit.status = "active", 0
        if unit.is_own:
            return
        if unit.account not in self.accounts:
            self.ended(name, NO_SUCH_USER)
        elif (code := self.run_program(name, unit.account)) is not None:
            self.ended(name, code)

    def _stop(self, name: str) -> None:
        unit = self.units.get(name)
        if unit and unit.active == "active":
            unit.active = "inactive"
            if not unit.is_own:
                self.stop_program(name)

    def ended(self, name: str, code: int) -> None:
        """The program of a unit has ended by itself."""
        if unit := self.units.get(name):
            unit.status = code
            unit.active = "failed" if code else "inactive"

    def boot(self) -> None:
        """The machine has started: what is enabled is too."""
        for name, unit in self.units.items():
            unit.active = "inactive"
            if unit.enabled:
                self._start(name)

    def _shown(self, name: str) -> str:
        unit = self.units.get(name)
        if unit is None:
            return "LoadState=not-found\nActiveState=inactive\nSubState=dead"
        properties = {
            "LoadState": "loaded",
            "ActiveState": unit.active,
            "SubState": "running" if unit.active == "active" else "dead",
            "UnitFileState": "enabled" if unit.enabled else "disabled",
            "Result": "exit-code" if unit.status else "success",
            "ExecMainStatus": str(unit.status),
            "ExecMainCode": "1" if unit.status else "0",
            "NRestarts": str(unit.restarts),
            "User": unit.account,
            "ExecStart": f"{{ path={unit.program} ; argv[]={unit.program} }}",
        }
        return "\n".join(f"{key}={value}" for key, value in properties.items())


def _setting(text: str, name: str) -> str:
    found = re.search(rf"^{name}=(.+)$", text, re.MULTILINE)
    return found.group(1) if found else ""


def _completed(text: str) -> Completed:
    return Completed(0, f"{text}\n" if text else "", "")


def _failed(code: int, text: str) -> Completed:
    return Completed(code, "", f"{text}\n")

"""launchd as the stand-ins have it: what launchctl, dscl and their like answer, in the states and codes of real ones.

As launchd does, it starts what a loaded property list names, says 78 (EX_CONFIG) where it cannot, and starts again what
ended with an error, after its throttle interval.
"""

from __future__ import annotations

import plistlib
import posixpath
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from paddock_agent.system.port import Completed

if TYPE_CHECKING:
    from .parts_of_system import SimulatedParts

NO_SUCH_SERVICE = 113
EX_CONFIG = 78
FIRST_PID = 512


@dataclass
class _Job:
    listed: dict[str, object]
    state: str = "not running"
    runs: int = 0
    last_exit: int | None = None
    pid: int = 0


@dataclass
class SimulatedLaunchd:
    """One host's launchd, with its accounts: name to number. ``logged_in`` are those with a session at the screen.

    ``run_program`` starts what a list names, for the account; it returns an exit code if that ends at once, None if it
    keeps running.
    """

    system: SimulatedParts
    accounts: dict[str, int]
    run_program: Callable[[str, Sequence[str], str], int | None]
    stop_program: Callable[[str], None]
    logged_in: set[str] = field(default_factory=set)
    jobs: dict[str, _Job] = field(default_factory=dict)
    disabled: set[str] = field(default_factory=set)

    def answer(self, command: Sequence[str]) -> Completed | None:
        """The answer to one of the commands that this stands in for; None for others."""
        match list(command):
            case ["launchctl", verb, *rest]:
                return self._launchctl(verb, rest)
            case ["id", "-u", account]:
                number = self.accounts.get(account)
                return _completed(str(number)) if number is not None else _failed(1, f"id: {account}: no such user")
            case ["dscl", ".", "-list", "/Users", "UniqueID"]:
                return _completed("\n".join(f"{name}  {number}" for name, number in self.accounts.items()))
            case ["dscl", ".", "-create", user, "UniqueID", number]:
                self.accounts[posixpath.basename(user)] = int(number)
                return _completed("")
            case ["dscl", ".", "-read", user, "NFSHomeDirectory"]:
                return _completed(f"NFSHomeDirectory: /Users/{posixpath.basename(user)}")
            case ["dscl", ".", "-create", *_] | ["createhomedir", *_]:
                return _completed("")
            case ["chown", *words]:
                owner = next(word for word in words if not word.startswith("-")).partition(":")[0]
                known = owner in {*self.accounts, "root"}
                return _completed("") if known else _failed(1, f"chown: {owner}: illegal user name")
            case ["test", "-d", _]:
                return _completed("")
            case ["sudo", "-u", account, "--", *_]:
                return _completed("0.1.0") if account in self.accounts else _failed(1, f"sudo: unknown user: {account}")
        return None

    def _launchctl(self, verb: str, rest: list[str]) -> Completed:
        match verb, rest:
            case "enable", [target]:
                self.disabled.discard(_label(target))
            case "disable", [target]:
                self.disabled.add(_label(target))
            case "print-disabled", [_]:
                listed = "\n".join(f'\t\t"{label}" => disabled' for label in sorted(self.disabled))
                return _completed(f"disabled services = {{\n{listed}\n\t}}")
            case "print", [target] if target.count("/") < (2 if target.startswith("gui/") else 1):
                if target.startswith("gui/") and self._session(target) is None:
                    return _failed(
                        125, f"Could not print domain: 125: Domain does not support specified action: {target}"
                    )
                return _completed(f"{target} = {{\n}}")
            case "print", [target]:
                job = self.jobs.get(_label(target))
                if job is None:
                    return _failed(NO_SUCH_SERVICE, f'Could not find service "{_label(target)}" in domain for system')
                return _completed(_printed(target, job))
            case "bootstrap", [domain, place]:
                return self._bootstrap(domain, place)
            case "bootout", [target]:
                is_agent = self.system.repeated.pop(_label(target), None) is None
                if self.jobs.pop(_label(target), None) is None:
                    return _failed(3, "Boot-out failed: 3: No such process")
                if is_agent:
                    self.stop_program(_label(target))
            case "kickstart", [*_, target]:
                if _label(target) not in self.jobs:
                    return _failed(NO_SUCH_SERVICE, f'Could not find service "{_label(target)}"')
                if self.jobs[_label(target)].state != "running":
                    self._start(_label(target))
            case _:
                return _failed(64, f"Unrecognized subcommand: {verb}")
        return _completed("")

    def _session(self, domain: str) -> str | None:
        number = domain.split("/")[1]
        return next((name for name in self.logged_in if str(self.accounts.get(name)) == number), None)

    def _bootstrap(self, domain: str, place: str) -> Completed:
        text = self.system.read_text(place)
        if text is None:
            return _failed(5, "Bootstrap failed: 5: Input/output error")
        listed = plistlib.loads(text.encode())
        label = str(listed["Label"])
        if label in self.disabled or label in self.jobs:
            return _failed(5, "Bootstrap failed: 5: Input/output error")
        if domain.startswith("gui/") and self._session(domain) is None:
            return _failed(125, "Bootstrap failed: 125: Domain does not support specified action")
        self.jobs[label] = _Job(listed)
        if "StartInterval" in listed:
            self.system.repeat(label, [str(word) for word in listed["ProgramArguments"]])
            return _completed("")
        if listed.get("RunAtLoad"):
            self._start(label)
        return _completed("")

    def set_service(self, label: str, running: str) -> None:
        """A daemon that the machine came with."""
        listed: dict[str, object] = {"Label": label, "ProgramArguments": [f"/usr/local/libexec/{label}"]}
        self.system.write_text(f"/Library/LaunchDaemons/{label}.plist", plistlib.dumps(listed).decode(), 0o644)
        self.jobs[label] = _Job(listed, running if running == "running" else "not running", runs=1, last_exit=0)

    def _start(self, label: str) -> None:
        job = self.jobs[label]
        if job.listed["ProgramArguments"] == [f"/usr/local/libexec/{label}"]:
            job.state = "running"
            return
        job.runs += 1
        account = str(job.listed.get("UserName", "root"))
        program = job.listed["ProgramArguments"]
        assert isinstance(program, list)
        if account not in {*self.accounts, "root"} or not self.system.executables(program[0]):
            self.ended(label, EX_CONFIG)
            return
        job.state, job.pid = "running", FIRST_PID + job.runs
        if (code := self.run_program(label, program, account)) is not None:
            self.ended(label, code)

    def boot(self) -> None:
        """The machine has started: daemons that are not disabled are loaded, and run."""
        for label, job in list(self.jobs.items()):
            job.state, job.pid = "not running", 0
            if label not in self.disabled and label not in self.system.repeated:
                self._start(label)

    def ended(self, label: str, code: int) -> None:
        """The program of a job has ended."""
        if job := self.jobs.get(label):
            job.last_exit, job.pid = code, 0
            job.state = "spawn scheduled" if code else "not running"


def _label(target: str) -> str:
    return target.rsplit("/", 1)[-1]


def _printed(target: str, job: _Job) -> str:
    program = job.listed["ProgramArguments"]
    assert isinstance(program, list)
    lines = [
        f"{target} = {{",
        f"\tstate = {job.state}",
        "",
        f"\tprogram = {program[0]}",
        f"\tusername = {job.listed.get('UserName', 'root')}",
        f"\truns = {job.runs}",
        *([f"\tpid = {job.pid}"] if job.pid else []),
        f"\tlast exit code = {_exit(job.last_exit)}",
        "}",
    ]
    return "\n".join(lines)


def _exit(code: int | None) -> str:
    if code is None:
        return "(never exited)"
    return f"{code}: EX_CONFIG" if code == EX_CONFIG else str(code)


def _completed(text: str) -> Completed:
    return Completed(0, f"{text}\n" if text else "", "")


def _failed(code: int, text: str) -> Completed:
    return Completed(code, "", text + "\n")

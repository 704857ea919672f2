"""A machine that is not there: the agent's System port, answered from a description."""

from __future__ import annotations

import asyncio
import fnmatch
import functools
import hashlib
import math
import re
import secrets
import shlex
import time
import uuid
import zlib
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path

from paddock_agent import power
from paddock_agent.doctor.evidence import Evidence
from paddock_agent.doctor.note import FILE as NOTE
from paddock_agent.doctor.note import Note, read_note
from paddock_agent.errors import AgentError, CommandFailed
from paddock_agent.file_pattern import file_pattern
from paddock_agent.services.windows_control import ServiceControl
from paddock_agent.system.paths import path_folders, path_separator, paths_of
from paddock_agent.system.port import (
    Candidate,
    Completed,
    Disk,
    FoundFile,
    Hardware,
    NetworkCard,
    RegistryKey,
    Script,
    ScriptProcess,
    Survivor,
    System,
    Vitals,
)
from paddock_agent.system.trials import FailedTrial

from .agents import SimulatedAgents
from .answer import Answer
from .description import Description
from .equipment import equipped
from .launchd import SimulatedLaunchd
from .service_control import Account, SimulatedServiceControl
from .shell import Shell
from .simulated_script import SimulatedScript
from .systemd import SimulatedSystemd
from .tasks import SimulatedTasks

SHELLS = {"linux": ("bash", "sh"), "macos": ("zsh", "bash", "sh"), "windows": ("powershell", "cmd")}

PYTHON = {
    "linux": "/opt/paddock/current/bin/python",
    "macos": "/opt/paddock/current/bin/python",
    "windows": r"C:\Program Files\Paddock\current\Scripts\python.exe",
}
PYTHON_HOMES = {"linux": "/usr", "macos": "/opt/homebrew/opt/python@3.12", "windows": r"C:\Python312"}
FIRST_ACCOUNT = 501
POWER_OFF = {("systemctl", "poweroff"), ("shutdown", "-h", "now"), ("shutdown", "/s", "/t", "0")}

RunProgram = Callable[[str, str], int | None]


def _nothing_runs(service: str, account: str) -> int | None:
    return None


def _nothing_goes_off() -> None:
    return None


def _nothing_stops(service: str) -> None:
    return None


class SimulatedSystem(System):
    """One stand-in host. ``start_service`` is called with the name and the account of a service whose program its
    manager starts, and returns an exit code if that ends at once; ``stop_service`` when the manager stops it."""

    def __init__(
        self,
        description: Description,
        start_service: RunProgram = _nothing_runs,
        stop_service: Callable[[str], None] = _nothing_stops,
    ) -> None:
        self.description = description
        self.family = description.family
        self._commands = dict(description.commands)
        self._files = dict(description.files)
        self._identity = uuid.uuid5(uuid.NAMESPACE_DNS, f"{description.name}.saltmarsh.example")
        self._paths: dict[str, str] = {}
        self._touched: dict[str, float] = {}
        self.is_elevated = True
        self.running_service = ""
        self.running_account = description.account
        self.adopted: dict[str, str] = {}
        self._folders: dict[str, int] = {}
        self.repositories: dict[str, tuple[str, str]] = {}
        self.agents = SimulatedAgents(self.family, description.agent, description.other_agents_fail)
        self._written: dict[str, str] = {"/proc/1/comm": "systemd\n"} if self.family == "linux" else {}
        self.disk_free = float(description.disk_free)
        self.memory_share = 0.35
        self.clock_ahead = 0.0
        self.closed_folder = ""
        self.failing: tuple[FailedTrial, ...] = ()
        self.shuts_down = False
        self.power_off: Callable[[], None] = _nothing_goes_off
        self.repeated: dict[str, tuple[str, ...]] = {}
        self.repeats: Callable[[str], None] = _nothing_stops
        self.start_again()
        self.started_at -= description.up_for
        accounts = {description.account: "", **description.accounts}
        self.launchd = SimulatedLaunchd(
            system=self,
            accounts={name: FIRST_ACCOUNT + i for i, name in enumerate(accounts)} if self.family == "macos" else {},
            run_program=lambda label, program, account: start_service(label, account),
            stop_program=stop_service,
            logged_in={description.account},
        )
        self.systemd = SimulatedSystemd(
            system=self,
            accounts=set(accounts) | {"root"},
            run_program=start_service,
            stop_program=stop_service,
        )
        self.tasks = SimulatedTasks(self, start_service, stop_service)
        self.control = SimulatedServiceControl(
            accounts={name: Account(password) for name, password in accounts.items()},
            programs=lambda path: bool(self.executables(path)),
            run_program=lambda name, command, account: start_service(name, account),
            stop_program=stop_service,
            fresh={**description.environment, **description.fresh},
            refuses_rights=description.refuses_rights,
        )
        self.real_files: dict[str, Path] = {}
        """Files of the agent that really are on this machine, by their path on the stand-in."""
        for name, running in description.services.items():
            self.set_service(name, running)

    async def run(self, command: Sequence[str], time_limit: float, locale: str = "C") -> Completed:
        """See the port."""
        if upgraded := await self.agents.answer(command):
            return upgraded
        if tuple(command[1:5]) == ("-m", "paddock_agent", "watch", "power-down"):
            return await self._power_down(command[-1])
        if tuple(command) in POWER_OFF:
            self.power_off()
            return Completed(0, "", "")
        if self.family == "macos" and (answered := self.launchd.answer(command)):
            return answered
        if self.family == "linux" and (answered := self.systemd.answer(command)):
            return answered
        if self.family == "windows" and command[0] == "icacls":
            return Completed(0, "", "")
        if identity := self._machine_id(command):
            return Completed(0, identity, "")
        if self.family == "windows" and command[0] == "schtasks":
            return self.tasks.answer(command)
        path = self.find(command[0])
        if path is None:
            raise CommandFailed(f"{command[0]} could not be started: No such file or directory")
        answer = self.answer(path, command[1:])
        if answer.seconds > time_limit:
            await asyncio.sleep(time_limit)
            raise CommandFailed(f"{command[0]} did not answer within {time_limit:g} s")
        await asyncio.sleep(answer.seconds)
        return Completed(answer.exit, answer.stdout, answer.stderr)

    async def _power_down(self, folder: str) -> Completed:
        """What the agent's command does that the watch starts: the real code, on this system."""
        note = read_note(self.read_text(paths_of(self).join(folder, NOTE)), folder)
        try:
            await power.carry_out(self, note, folder)
        except AgentError as error:
            return Completed(1, "", str(error))
        return Completed(0, "", "")

    def _machine_id(self, command: Sequence[str]) -> str:
        """What tells this machine from others, where a command asks for it; "" for all other commands."""
        if self.family == "macos" and command[0] == "ioreg":
            return f'"IOPlatformUUID" = "{self._identity}"'
        if self.family == "windows" and "MachineGuid" in command:
            return f"    MachineGuid    REG_SZ    {self._identity}"
        return ""

    def find(self, command: str, path_variable: str = "") -> str | None:
        """The full path of a command: as it stands, or found on PATH, the system's own or the one given."""
        paths = paths_of(self)
        if paths.isabs(command):
            return command if self.real_path(command) in self._commands else None
        endings = ("", ".exe", ".cmd", ".bat") if self.family == "windows" else ("",)
        given = path_variable.split(path_separator(self)) if path_variable else path_folders(self)
        for folder in given:
            for ending in endings:
                path: str = paths.join(folder, command + ending)
                if self.real_path(path) in self._commands:
                    return path
        return None

    def answer(self, path: str, arguments: Sequence[str]) -> Answer:
        """What the command says to these arguments."""
        answers = self._commands[self.real_path(path)]
        given = " ".join(arguments)
        for asked, answer in answers.items():
            if asked == given or (asked.endswith("*") and given.startswith(asked[:-1])):
                return answer
        return Answer(stderr=f"{paths_of(self).basename(path)}: the stand-in has no answer to: {given}\n", exit=1)

    def read_text(self, path: str) -> str | None:
        """See the port."""
        if path == "/etc/machine-id":
            return f"{self._identity.hex}\n"
        if real := self.real_files.get(path):
            return real.read_text() if real.exists() else None
        return self._written.get(path, self._files.get(path))

    def write_text(self, path: str, text: str, mode: int) -> None:
        """See the port."""
        self._written[path] = text

    def write_bytes(self, path: str, data: bytes, mode: int) -> None:
        """See the port."""
        self._written[path] = data.decode("latin-1")

    def read_text_of(self, path: str, account: str) -> str | None:
        """See the port."""
        return self.read_text(path)

    def write_private_for(self, path: str, text: str, account: str) -> None:
        """See the port."""
        if real := self.real_files.get(path):
            real.write_text(text)
        else:
            self._written[path] = text

    def reserve(self, path: str, size: int) -> None:
        """See the port."""
        self._written[path] = ""

    def point(self, link: str, target: str) -> None:
        """See the port."""
        self.agents.point(target)

    def remove_file(self, path: str) -> None:
        """See the port."""
        if real := self.real_files.get(path):
            real.unlink(missing_ok=True)
        self._written.pop(path, None)

    def is_privileged(self) -> bool:
        """See the port."""
        return self.is_elevated

    def environment(self) -> Mapping[str, str]:
        """See the port."""
        if self.family != "windows":
            return {**self.description.environment, **self.adopted}
        taken_over = {name.upper() for name in self.adopted}
        kept = {name: value for name, value in self.description.environment.items() if name.upper() not in taken_over}
        return {**kept, **self.adopted}

    async def fresh_environment(self) -> Mapping[str, str]:
        """See the port."""
        return {**self.description.environment, **self.description.fresh}

    def service_control(self) -> ServiceControl:
        """See the port."""
        if self.family != "windows":
            raise CommandFailed("the service control manager is there on Windows only")
        return self.control

    def executables(self, pattern: str) -> list[str]:
        """See the port."""
        if pattern == self.program() or self.agents.has_program(pattern):
            return [pattern]
        return [one.path for one in self.look(pattern) if not one.why_not]

    def look(self, pattern: str) -> list[Candidate]:
        """See the port. A link whose target is not described leads nowhere, or in a circle."""
        known = self._known()
        if not re.search(r"[*?[]", pattern):
            found = [known[key]] if (key := self._compared(pattern)) in known else []
        else:
            matches = _as_expression(self._compared(pattern)).fullmatch
            found = sorted(path for key, path in known.items() if matches(key))
        return [Candidate(path, self._why_not(path)) for path in found]

    def _known(self) -> dict[str, str]:
        """All paths, by what they are compared by."""
        if not self._paths:
            self._paths = {self._compared(p): p for p in (*self._commands, *self.description.links, *self._files)}
        return self._paths

    def _compared(self, path: str) -> str:
        return path.lower().replace("\\", "/") if self.family == "windows" else path

    def _why_not(self, path: str) -> str:
        real = self.real_path(path)
        if real in self._commands:
            return ""
        if path not in self.description.links:
            return "this account may not run it"
        leads = "in a circle" if real in self.description.links else f"to {real}, which is not there"
        return f"it is a link that leads {leads}"

    def read_bytes(self, path: str) -> bytes | None:
        """See the port."""
        answer = self.read_text(path)
        return None if answer is None else answer.encode()

    def registry(self, key: str) -> list[RegistryKey]:
        """See the port."""
        known = self.description.registry if self.family == "windows" else {}
        return [RegistryKey(name, values) for name, values in known.items() if self._matches(name, key)]

    def changed_at(self, path: str) -> float | None:
        """See the port."""
        if path in self._touched:
            return self._touched[path]
        return self.started_at if path in self._files else None

    def install(self, line: str) -> None:
        """Puts a tool onto the disk, by a line as ``jdk 21.0.5 in /opt/jdk-21/bin``. Raises ValueError."""
        made = equipped(self.family, [line])
        self._commands.update(made.commands)
        self._files.update(made.files)
        for path in (*made.commands, *made.files):
            self._touch_above(path)

    def remove(self, folder: str) -> int:
        """Removes all that lies below a folder; how many files that were."""
        inside = folder.rstrip("/\\") + ("\\" if self.family == "windows" else "/")
        gone = [path for path in (*self._commands, *self._files) if path.startswith(inside)]
        for path in gone:
            self._commands.pop(path, None)
            self._files.pop(path, None)
            self._touch_above(path)
        return len(gone)

    def _touch_above(self, path: str) -> None:
        self._paths = {}
        paths, now = paths_of(self), time.time()
        while (above := paths.dirname(path)) != path:
            self._touched[above] = now
            path = above

    def _matches(self, path: str, pattern: str) -> bool:
        """Part for part, so that ``*`` stays inside one name, as in a file system."""
        return _as_expression(self._compared(pattern)).fullmatch(self._compared(path)) is not None

    def real_path(self, path: str) -> str:
        """See the port."""
        if path == self.agents.pointer:
            return self.agents.current
        seen = set()
        while path in self.description.links and path not in seen:
            seen.add(path)
            path = self.description.links[path]
        return path

    def disk(self, folder: str) -> Disk:
        """See the port."""
        return Disk(self.description.disk_total, int(self.disk_free))

    def start_again(self) -> None:
        """The machine is started: it has another identity of this run, and a short uptime."""
        self._boot = secrets.token_hex(8)
        self.started_at = time.time()

    def written_below(self, folder: str) -> list[tuple[str, str]]:
        """The files that were written below a folder, with their text."""
        return [(path, text) for path, text in self._written.items() if path.startswith(f"{folder}/")]

    def repeat(self, name: str, command: Sequence[str]) -> None:
        """A program that the machine runs again and again, from now on."""
        self.repeated[name] = tuple(command)
        self.repeats(name)

    def set_service(self, name: str, running: str) -> None:
        """A service of the machine that is not the agent's: running or stopped."""
        match self.family:
            case "linux":
                self.systemd.set_service(name, running)
            case "macos":
                self.launchd.set_service(name, running)
            case "windows":
                self.control.set_service(name, running)

    def vitals(self) -> Vitals:
        """See the port: a load that comes and goes, so that there is something to see."""
        wave = 0.5 + 0.5 * math.sin(time.time() / 97 + len(self.description.name))
        return Vitals(
            load=round(self.description.cores * 0.6 * wave, 2),
            memory_free=int(self.description.memory * self.memory_share * (0.8 + 0.2 * wave)),
            system_free=int(self.description.disk_free * 0.4),
            open_files=40 + round(20 * wave),
            uptime=time.time() - self.started_at,
            agent_memory=38 * 1024**2,
        )

    def boot(self) -> str:
        """See the port."""
        return self._boot

    def networks(self) -> Sequence[NetworkCard]:
        """See the port; a stand-in has a card of its own in a network of stand-ins."""
        return [NetworkCard(_hardware_of(self.hostname()), "127.0.0.1", "127.255.255.255")]

    def clock(self) -> float:
        """See the port."""
        return time.time() + self.clock_ahead

    def make_private_folder(self, path: str) -> None:
        """See the port; a stand-in has no disk."""

    def hardware(self) -> Hardware:
        """See the port."""
        return Hardware(self.description.cores, self.description.memory)

    def python(self) -> tuple[tuple[int, int, int], str]:
        """See the port."""
        return (3, 12, 3), PYTHON_HOMES[self.family]

    def agent_version(self) -> str:
        """See the port."""
        return self.agents.version

    def program(self) -> str:
        """See the port."""
        return PYTHON[self.family]

    def make_folder(self, path: str) -> None:
        """See the port; a stand-in has no disk."""

    def why_not_writable(self, path: str) -> str:
        """See the port."""
        return f"{path} is closed to {self.account()}" if path == self.closed_folder else ""

    async def try_work(self, work_folder: str, server: str, quick: bool = False) -> Sequence[FailedTrial]:
        """See the port: what was made to fail."""
        if work_folder != self.closed_folder:
            return self.failing
        facts = {"folder": work_folder, "nearest": work_folder, "owner": "root:root", "mode": "755", "kind": "folder"}
        return (FailedTrial("work folder", f"Permission denied (EACCES): {work_folder}", facts), *self.failing)

    async def examine(self, note: Note, folder: str) -> Evidence:
        """See the port: there is nothing behind the simulation to look at."""
        return Evidence(note.service, trouble="it is a stand-in without a real machine")

    def install_doctor(self, folder: str, service: str) -> Sequence[str]:
        """See the port."""
        return [self.program(), "-m", "paddock_agent"]

    def upgrader(self, folder: str) -> Sequence[str]:
        """See the port."""
        return [self.program(), "-m", "paddock_agent", "upgrade", "--carry-out", folder]

    def uptime(self) -> float:
        """See the port."""
        return time.time() - self.started_at

    async def is_shutting_down(self) -> bool:
        """See the port."""
        return self.shuts_down

    def hostname(self) -> str:
        """See the port."""
        return self.description.name

    def account(self) -> str:
        """See the port."""
        return self.running_account

    def kept_by(self) -> str:
        """See the port."""
        return self.running_service or self.description.kept_by

    def default_shell(self) -> str:
        """See the port."""
        return SHELLS[self.family][0]

    def fresh_folder(self, parent: str, name: str) -> str:
        """See the port; the folder is remembered with a size that a build might leave."""
        folder: str = paths_of(self).join(parent, name)
        self.remove_folder(folder)
        self._folders[folder] = 20_000_000 + zlib.crc32(f"{self.description.name} {folder}".encode()) % 900_000_000
        return folder

    def remove_folder(self, path: str) -> None:
        """See the port."""
        self.agents.folders.discard(path)
        inside = path + paths_of(self).sep
        for known in (self._folders, self._written, self.repositories):
            for one in [one for one in known if one == path or one.startswith(inside)]:
                known.pop(one)

    def folders_in(self, path: str) -> list[str]:
        """See the port."""
        inside = path.rstrip("/\\") + paths_of(self).sep
        below = [one[len(inside) :] for one in (*self._folders, *self.repositories) if one.startswith(inside)]
        found = {one.split(paths_of(self).sep)[0] for one in below}
        if path == self.agents.prefix:
            found |= set(self.agents.names())
        return sorted(found | ({".git"} if path in self.repositories else set()))

    def names_in(self, path: str) -> frozenset[str]:
        """See the port."""
        inside = self._compared(path.rstrip("/\\")) + "/"
        return frozenset(key[len(inside) :].split("/")[0] for key in self._known() if key.startswith(inside))

    def folder_size(self, path: str) -> tuple[int, int]:
        """See the port."""
        return self._folders.get(path, 0), self._folders.get(path, 0) // 40_000

    def find_files(self, folder: str, pattern: str) -> list[FoundFile]:
        """See the port."""
        inside = folder + paths_of(self).sep
        written = {one[len(inside) :].replace("\\", "/"): one for one in self._written if one.startswith(inside)}
        matches = file_pattern(pattern).matches
        found = [(below, place) for below, place in sorted(written.items()) if matches(below)]
        return [FoundFile(below, place, len(self._written[place].encode())) for below, place in found]

    def read_piece(self, place: str, offset: int, size: int) -> bytes:
        """See the port."""
        return self._written.get(place, "").encode()[offset : offset + size]

    def write_script(self, script: Script) -> Sequence[str]:
        """See the port."""
        if script.shell not in SHELLS[self.family]:
            raise CommandFailed(
                f'shell "{script.shell}" does not exist on {self.family}; known are {" and ".join(SHELLS[self.family])}'
            )
        self._written[script.file] = script.text
        return [script.shell, script.file]

    async def start_command(self, command: Sequence[str], folder: str, variables: Mapping[str, str]) -> ScriptProcess:
        """See the port. The command of a written script is that script."""
        text = self._written.get(command[-1]) if command[0] in SHELLS[self.family] else None
        shell = Shell(self, folder, {**self.environment(), **variables})
        return SimulatedScript(shell, shlex.join(command) if text is None else text)

    def survivors(self, mark: str, groups: Collection[int]) -> list[Survivor]:
        """See the port; a stand-in's script leaves nothing behind."""
        return []

    def end_survivors(self, survivors: Sequence[Survivor]) -> None:
        """See the port."""


@functools.lru_cache(maxsize=20_000)
def _as_expression(pattern: str) -> re.Pattern[str]:
    """A pattern of paths as a regular expression; hosts of one system share nearly all of them."""
    return re.compile(
        "/".join(fnmatch.translate(part).replace(".*", "[^/]*").removesuffix("\\Z") for part in pattern.split("/"))
    )


def _hardware_of(name: str) -> str:
    """A hardware address of its own for each stand-in, marked as one that was given locally (IEEE 802)."""
    digest = hashlib.sha256(name.encode()).digest()
    return ":".join(f"{byte:02x}" for byte in (2, *digest[:5]))

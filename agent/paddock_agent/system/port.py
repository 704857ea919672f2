"""What the agent asks of a machine. All that the agent knows of its host comes through here."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, Protocol

if TYPE_CHECKING:
    from ..doctor.evidence import Evidence
    from ..doctor.note import Note
    from ..services.windows_control import ServiceControl
    from .trials import FailedTrial

Family = Literal["linux", "macos", "windows"]


@dataclass(frozen=True)
class Completed:
    """A command that ran to its end. Outputs are decoded leniently and cut at the port's bound."""

    exit_code: int
    stdout: str
    stderr: str


@dataclass(frozen=True)
class Candidate:
    """A file that was looked for. ``why_not`` says why it cannot be run, "" where it can."""

    path: str
    why_not: str = ""


@dataclass(frozen=True)
class RegistryKey:
    """A key of the Windows registry with its values, as text; the nameless value is ""."""

    key: str
    values: Mapping[str, str]


@dataclass(frozen=True)
class Disk:
    """Bytes of the file system that holds a folder."""

    total: int
    free: int


@dataclass(frozen=True)
class Hardware:
    """Cores that programs can use, and bytes of memory."""

    cores: int
    memory: int


@dataclass(frozen=True)
class Vitals:
    """Readings of a machine and of this process; None for unknown ones. Bytes and seconds; ``load`` is the
    mean number of processes that ran or wanted to, in the last minute."""

    load: float | None = None
    memory_free: float | None = None
    system_free: float | None = None
    open_files: float | None = None
    uptime: float | None = None
    agent_memory: float | None = None


@dataclass(frozen=True)
class Use:
    """What processes used: seconds of processor time, and the most bytes of memory at one time."""

    processor: float = 0.0
    memory: int = 0


@dataclass(frozen=True)
class Script:
    """A script for a shell, and the path that its file gets, without the ending."""

    text: str
    shell: str
    file: str


@dataclass(frozen=True)
class Survivor:
    """A process that outlives what it belongs to. ``born`` tells it from another that gets its number later."""

    pid: int
    name: str
    born: float


@dataclass(frozen=True)
class FoundFile:
    """A plain file below a folder: its path from there, with ``/``, where it is, and its bytes."""

    path: str
    place: str
    size: int


class ScriptProcess(Protocol):
    """A script at work. ``pid`` is the id of its process group, 0 where there is none."""

    pid: int

    def use(self) -> Use:
        """What it and all that it started have used so far, as far as that can be seen."""

    async def read(self) -> bytes:
        """The next bytes that it printed, on either stream; b"" once it has closed both."""

    async def wait(self) -> int:
        """Its exit code, once it ends, negative where a signal of that number ended it; what it left behind may go on
        printing."""

    async def stop(self, patience: float) -> None:
        """Ends it and all that it started: asks first, and after ``patience`` seconds insists."""

    def close(self) -> None:
        """Listens no more to what it, or something that escaped from it, prints."""


@dataclass(frozen=True)
class NetworkCard:
    """One of the machine's network cards in one IPv4 network: its hardware address in lower case with colons, its
    address there, and the address that reaches all machines of that network."""

    hardware: str
    address: str
    broadcast: str


class System(Protocol):
    """One machine."""

    family: Family

    async def run(self, command: Sequence[str], time_limit: float, locale: str = "C") -> Completed:
        """Runs a command with no input. ``locale`` is what it is asked to speak, "own" for the account's own.

        Raises CommandFailed where it cannot start or passes its time (seconds).
        """

    def read_text(self, path: str) -> str | None:
        """A small text file, or None where it cannot be read."""

    def write_text(self, path: str, text: str, mode: int) -> None:
        """Writes a small text file, whole or not at all, with these permissions. Raises CommandFailed."""

    def write_bytes(self, path: str, data: bytes, mode: int) -> None:
        """The same with bytes. Raises CommandFailed."""

    def read_text_of(self, path: str, account: str) -> str | None:
        """A small text file that belongs to ``account``, in a folder that this account may change; None for a link, and
        for a file of another account: it may have been put there to have it read."""

    def write_private_for(self, path: str, text: str, account: str) -> None:
        """Writes a file that only ``account`` can read, in a folder that this account may change as well: no link is
        followed. Raises CommandFailed."""

    def reserve(self, path: str, size: int) -> None:
        """Makes a new file that takes up ``size`` bytes of the disk; no link is followed. Raises CommandFailed."""

    def point(self, link: str, target: str) -> None:
        """Flushes all writes to the disk, then makes ``link`` lead to ``target`` atomically: after a power cut it leads
        to the old or the new target. Raises CommandFailed."""

    def remove_file(self, path: str) -> None:
        """Removes a file if it exists. Raises CommandFailed."""

    def is_privileged(self) -> bool:
        """Whether the agent may change the system: root, or an elevated administrator."""

    def environment(self) -> Mapping[str, str]:
        """The environment that the agent was started with."""

    async def fresh_environment(self) -> Mapping[str, str]:
        """The environment that a fresh log-in of this account would have; empty where it cannot be learnt."""

    def service_control(self) -> ServiceControl:
        """The service control manager of Windows. Raises CommandFailed on another system."""

    def executables(self, pattern: str) -> list[str]:
        """The files that can be run and match a pattern: an absolute path, in which ``*`` stands for part of a name."""

    def look(self, pattern: str) -> list[Candidate]:
        """The same, and those that are there and cannot be run: links that lead nowhere, files without permission."""

    def read_bytes(self, path: str) -> bytes | None:
        """A small file as it is, or None where it cannot be read."""

    def registry(self, key: str) -> list[RegistryKey]:
        """Keys of the Windows registry that match, ``*`` standing for part of a name; none on another system."""

    def changed_at(self, path: str) -> float | None:
        """When a file or folder last changed, in seconds since the epoch; None where there is none."""

    def real_path(self, path: str) -> str:
        """The path with all links followed."""

    def disk(self, folder: str) -> Disk:
        """Room on the file system that holds ``folder``."""

    def vitals(self) -> Vitals:
        """How the machine and this process are just now."""

    def boot(self) -> str:
        """What tells this run of the machine, since it was last started, from others; "" where it cannot be learnt."""

    def networks(self) -> Sequence[NetworkCard]:
        """The IPv4 networks that this machine is in by a card that others can wake it by; the loopback is none."""

    def clock(self) -> float:
        """The machine's own clock: seconds since the epoch."""

    def hardware(self) -> Hardware:
        """Cores and memory."""

    def python(self) -> tuple[tuple[int, int, int], str]:
        """The version of the Python that runs the agent, and the folder that it is installed in."""

    def agent_version(self) -> str:
        """The version of the agent that runs."""

    def program(self) -> str:
        """The path of that Python: what a service has to start."""

    def hostname(self) -> str:
        """The machine's own name, without its domain."""

    def account(self) -> str:
        """The account that the agent runs under."""

    def kept_by(self) -> str:
        """The service that keeps this agent running; "" where it was started by hand."""

    def default_shell(self) -> str:
        """The shell that a script runs in when its job names none."""

    def make_folder(self, path: str) -> None:
        """Makes a folder and its parents, unless they exist. Raises CommandFailed."""

    def make_private_folder(self, path: str) -> None:
        """The same, closed to everybody but the system's administrators. Raises CommandFailed."""

    def why_not_writable(self, path: str) -> str:
        """Why this account could not make files in ``path``, or in the nearest folder above that there is; ""
        where it could."""

    def fresh_folder(self, parent: str, name: str) -> str:
        """Makes an empty folder ``name`` in ``parent``, which is made too; returns its path. Raises CommandFailed."""

    def remove_folder(self, path: str) -> None:
        """Removes a folder and its content; leaves what it cannot remove."""

    def folders_in(self, path: str) -> list[str]:
        """The names of the folders in a folder; none if it does not exist."""

    def names_in(self, path: str) -> frozenset[str]:
        """The names of all entries of a folder; none if it does not exist or is closed."""

    def folder_size(self, path: str) -> tuple[int, int]:
        """Bytes on the disk, and number of files, of a folder and all in it. May take long."""

    def find_files(self, folder: str, pattern: str) -> list[FoundFile]:
        """The plain files below ``folder`` that match, in order: ``*`` stands for part of a name, ``**`` for folders.
        Nothing is found by a link that leads out of the folder. Raises CommandFailed for a folder that is not there."""

    def read_piece(self, place: str, offset: int, size: int) -> bytes:
        """Bytes of a found file. Raises OSError."""

    def write_script(self, script: Script) -> Sequence[str]:
        """Writes the file of a script; returns the command that runs it. Raises CommandFailed."""

    async def start_command(self, command: Sequence[str], folder: str, variables: Mapping[str, str]) -> ScriptProcess:
        """Starts a command with its arguments in ``folder``, with ``variables`` over the environment; it is found on
        the PATH of both. Raises CommandFailed."""

    async def try_work(self, work_folder: str, server: str, quick: bool = False) -> Sequence[FailedTrial]:
        """Really does what a job does first, as this account; returns the parts that failed. ``server`` is its
        address; ``quick`` tries the work folder only. See ``trials``."""

    async def examine(self, note: Note, folder: str) -> Evidence:
        """Evidence of what keeps the agent from working; where there can be none, its ``trouble`` says why. ``folder``
        is the watch's."""

    def install_doctor(self, folder: str, service: str) -> Sequence[str]:
        """Puts what the watch runs into its ``folder``, independent of the agent's packages where that is possible;
        returns the command that starts it."""

    def upgrader(self, folder: str) -> Sequence[str]:
        """The command of the unit that carries upgrades out; ``folder`` is the watch's, and ``install_doctor`` has
        filled it."""

    def uptime(self) -> float:
        """Seconds since this run of the machine began; 0 where it cannot be learnt. Needs no package."""

    async def is_shutting_down(self) -> bool:
        """Whether the system's own manager says that the machine is shutting down."""

    def survivors(self, mark: str, groups: Collection[int]) -> list[Survivor]:
        """The processes that have ``mark`` (NAME=value) in their environment, or belong to one of the process
        groups."""

    def end_survivors(self, survivors: Sequence[Survivor]) -> None:
        """Ends processes at once; one that is gone, or has become another, is left alone."""

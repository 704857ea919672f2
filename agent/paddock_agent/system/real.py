"""The real machine that the agent runs on."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import errno
import getpass
import glob
import os
import re
import shutil
import signal
import socket
import stat
import subprocess
import sys
import time
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from .. import __version__
from ..errors import CommandFailed
from . import folders, shells, trials
from .daemon_thread import in_a_daemon_thread
from .drop_ins import own_service
from .networks import network_cards
from .port import (
    Candidate,
    Completed,
    Disk,
    Family,
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

if sys.platform != "win32":
    import pwd

if TYPE_CHECKING:
    from ..doctor.evidence import Evidence
    from ..doctor.note import Note
    from ..services.windows_control import ServiceControl

MAX_OUTPUT_BYTES = 64 * 1024
"""Bytes kept of each stream of a probed command; what comes after is read and dropped."""
LOGIN_PATIENCE = 30.0
"""Seconds for a log-in shell to read what people have put into its start files."""
STOP_PATIENCE = 5.0
DRAIN_PATIENCE = 0.5
LOGIN_PATH = "/usr/local/bin:/usr/bin:/bin"
MAX_FILE_BYTES = 256 * 1024
SHUTDOWN_PATIENCE = 2.0

_SYSTEM_FOLDERS: dict[Family, str] = {"linux": "/", "macos": "/", "windows": "C:\\"}


def this_family() -> Family:
    """The family of the machine that this runs on."""
    return {"darwin": "macos", "win32": "windows"}.get(sys.platform, "linux")  # type: ignore[return-value]


class RealSystem(System):
    """This machine."""

    def __init__(self) -> None:
        self.family = this_family()

    async def run(self, command: Sequence[str], time_limit: float, locale: str = "C") -> Completed:
        """See the port."""
        spoken = {} if locale == "own" else {"LC_ALL": locale, "LANG": locale, "LANGUAGE": ""}
        return await self._run(command, time_limit, {**os.environ, **spoken, "NO_COLOR": "1"}, 0)

    async def _run(
        self, command: Sequence[str], time_limit: float, variables: Mapping[str, str], patience: float
    ) -> Completed:
        try:
            process = await asyncio.create_subprocess_exec(
                *command,
                stdin=asyncio.subprocess.DEVNULL,
                stdout=asyncio.subprocess.PIPE,
                stderr=asyncio.subprocess.PIPE,
                env=variables,
                start_new_session=True,
            )
        except (OSError, ValueError) as error:
            raise CommandFailed(f"{command[0]} could not be started: {getattr(error, 'strerror', error)}") from None
        assert process.stdout and process.stderr
        try:
            async with asyncio.timeout(time_limit):
                out, err = await asyncio.gather(_bounded(process.stdout), _bounded(process.stderr))
                code = await process.wait()
        except TimeoutError:
            raise CommandFailed(f"{command[0]} did not answer within {time_limit:g} s") from None
        finally:
            await _end_group(process, 0 if process.returncode is not None else patience)
            # To the end of both pipes, so that nothing of it is left to the loop, which may be about to close.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(DRAIN_PATIENCE):
                    await asyncio.gather(_bounded(process.stdout), _bounded(process.stderr))
        return Completed(code, out, err)

    def read_text(self, path: str) -> str | None:
        """See the port; cut at MAX_FILE_BYTES bytes."""
        try:
            with Path(path).open("rb") as file:
                return file.read(MAX_FILE_BYTES).decode("utf-8", "replace")
        except OSError:
            return None

    def write_text(self, path: str, text: str, mode: int) -> None:
        """See the port."""
        file = Path(path)
        fresh = file.with_name(file.name + ".new")
        try:
            fresh.write_text(text, encoding="utf-8")
            fresh.chmod(mode)
            fresh.replace(file)
        except OSError as error:
            raise CommandFailed(f"{path} could not be written: {error.strerror}") from None

    def write_bytes(self, path: str, data: bytes, mode: int) -> None:
        """See the port."""
        try:
            Path(path).write_bytes(data)
            Path(path).chmod(mode)
        except OSError as error:
            raise CommandFailed(f"{path} could not be written: {error.strerror}") from None

    def read_text_of(self, path: str, account: str) -> str | None:
        """See the port; cut at MAX_FILE_BYTES bytes."""
        try:
            return folders.read_of(Path(path), account, MAX_FILE_BYTES)
        except (OSError, KeyError):
            return None

    def write_private_for(self, path: str, text: str, account: str) -> None:
        """See the port."""
        try:
            folders.write_private(Path(path), text, account)
        except (OSError, KeyError) as error:
            raise CommandFailed(f"{path} could not be written: {getattr(error, 'strerror', error)}") from None

    def reserve(self, path: str, size: int) -> None:
        """See the port."""
        try:
            folders.reserve(Path(path), size)
        except OSError as error:
            Path(path).unlink(missing_ok=True)
            raise CommandFailed(f"{path} could not be made: {error.strerror}") from None

    def point(self, link: str, target: str) -> None:
        """See the port. Windows has no link that can be replaced at once."""
        if sys.platform == "win32":
            raise CommandFailed("An upgrade beside the old version is not possible on Windows yet.")
        try:
            os.sync()
            fresh = Path(link + ".new")
            fresh.unlink(missing_ok=True)
            fresh.symlink_to(target)
            fresh.replace(link)
            folders.flush(Path(link).parent)
        except OSError as error:
            raise CommandFailed(f"{link} could not be changed: {error.strerror}") from None

    def remove_file(self, path: str) -> None:
        """See the port."""
        try:
            Path(path).unlink(missing_ok=True)
        except OSError as error:
            raise CommandFailed(f"{path} could not be removed: {error.strerror}") from None

    def is_privileged(self) -> bool:
        """See the port."""
        if sys.platform == "win32":
            return bool(ctypes.windll.shell32.IsUserAnAdmin())
        return os.geteuid() == 0

    def environment(self) -> Mapping[str, str]:
        """See the port."""
        return os.environ

    async def fresh_environment(self) -> Mapping[str, str]:
        """See the port. On Linux and macOS a log-in shell is asked, as a log-in would start it."""
        if sys.platform == "win32":
            return self.service_control().fresh_environment()
        try:
            account = pwd.getpwuid(os.getuid())
        except KeyError:
            return {}
        clean = {"HOME": account.pw_dir, "USER": account.pw_name, "LOGNAME": account.pw_name, "SHELL": account.pw_shell,
                 "PATH": LOGIN_PATH, **self._set_for_everybody()}  # fmt: skip
        if not account.pw_shell or Path(account.pw_shell).name in ("nologin", "false"):
            return {}
        command = ["env", "-i", *(f"{name}={value}" for name, value in clean.items()), account.pw_shell, "-l", "-c"]
        # Start files take locks and write: they are asked to end before they are made to.
        try:
            done = await self._run([*command, "printf '\\0'; env -0"], LOGIN_PATIENCE, dict(os.environ), STOP_PATIENCE)
        except CommandFailed:
            return {}
        entries = done.stdout.split("\0")[1:]  # before the first stands what the start files printed
        return dict(entry.split("=", 1) for entry in entries if "=" in entry)

    def _set_for_everybody(self) -> dict[str, str]:
        """/etc/environment, which log-ins read through PAM on Linux."""
        lines = (self.read_text("/etc/environment") or "").splitlines() if self.family == "linux" else []
        found = (re.match(r"""\s*(?:export\s+)?(\w+)=["']?(.*?)["']?\s*$""", line) for line in lines)
        return {one.group(1): one.group(2) for one in found if one}

    def service_control(self) -> ServiceControl:
        """See the port."""
        if sys.platform == "win32":
            from ..services.windows_real import RealServiceControl

            return RealServiceControl()
        raise CommandFailed("the service control manager is there on Windows only")

    def executables(self, pattern: str) -> list[str]:
        """See the port."""
        return sorted(path for path in glob.glob(pattern) if Path(path).is_file() and os.access(path, os.X_OK))  # noqa: PTH207

    def look(self, pattern: str) -> list[Candidate]:
        """See the port."""
        paths = glob.glob(pattern) if glob.has_magic(pattern) else [pattern]  # noqa: PTH207
        looked = ((path, _why_not_run(path)) for path in sorted(paths))
        return [Candidate(path, why) for path, why in looked if why is not None]

    def read_bytes(self, path: str) -> bytes | None:
        """See the port; cut at MAX_FILE_BYTES bytes."""
        try:
            with Path(path).open("rb") as file:
                return file.read(MAX_FILE_BYTES)
        except OSError:
            return None

    def registry(self, key: str) -> list[RegistryKey]:
        """See the port."""
        if sys.platform == "win32":
            from .registry import keys_like

            return keys_like(key)
        return []

    def changed_at(self, path: str) -> float | None:
        """See the port."""
        try:
            return Path(path).stat().st_mtime
        except OSError:
            return None

    def real_path(self, path: str) -> str:
        """See the port; a link that goes in a circle is its own target."""
        return os.path.realpath(path)

    def disk(self, folder: str) -> Disk:
        """See the port; asks the nearest folder above that exists."""
        usage = shutil.disk_usage(_nearest(folder))
        return Disk(usage.total, usage.free)

    def vitals(self) -> Vitals:
        """See the port."""
        import psutil  # the preflight runs before any package is installed

        own = psutil.Process()
        with own.oneshot():
            handles = getattr(own, "num_handles" if self.family == "windows" else "num_fds")()
            memory = own.memory_info().rss
        return Vitals(
            load=psutil.getloadavg()[0],
            memory_free=psutil.virtual_memory().available,
            system_free=shutil.disk_usage(_SYSTEM_FOLDERS[self.family]).free,
            open_files=handles,
            uptime=max(0.0, time.time() - _started_at()),
            agent_memory=memory,
        )

    def boot(self) -> str:
        """See the port: the kernel's own word on Linux, with the start of the first process, for a container that is
        started again runs on the same kernel; elsewhere the time of the start, to the minute."""
        if sys.platform != "linux":
            return f"started {round(_started_at() / 60)}"
        kernel = (self.read_text("/proc/sys/kernel/random/boot_id") or "").strip()
        # In clock ticks since the kernel started, so that a clock that is set right does not change it.
        first = (self.read_text("/proc/1/stat") or "").rpartition(")")[2].split()
        return f"{kernel} {first[19] if len(first) > 19 else ''}".strip()

    def networks(self) -> list[NetworkCard]:
        """See the port."""
        return network_cards()

    def clock(self) -> float:
        """See the port."""
        return time.time()

    def hardware(self) -> Hardware:
        """See the port."""
        cores = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count()
        return Hardware(cores or 1, _memory())

    def python(self) -> tuple[tuple[int, int, int], str]:
        """See the port."""
        version = sys.version_info
        return (version.major, version.minor, version.micro), sys.base_prefix

    def agent_version(self) -> str:
        """See the port."""
        return __version__

    def program(self) -> str:
        """See the port. Where a pointer leads to the version that runs, by the pointer: it stays right."""
        place, pointer = Path(sys.prefix), Path(sys.prefix).parent / "current"
        if place.name.startswith("agent-") and pointer.is_symlink() and pointer.resolve() == place.resolve():
            return str(pointer / Path(sys.executable).relative_to(place))
        return sys.executable

    def hostname(self) -> str:
        """See the port."""
        return socket.gethostname().split(".")[0]

    def account(self) -> str:
        """See the port."""
        try:
            return getpass.getuser()
        except (KeyError, OSError):
            return str(os.getuid()) if hasattr(os, "getuid") else ""

    def kept_by(self) -> str:
        """See the port. On Linux, the systemd unit whose control group holds this process; elsewhere what the service
        was given when it was set up."""
        if self.family != "linux":
            return os.environ.get("PADDOCK_AGENT_SERVICE", "")
        if not os.environ.get("INVOCATION_ID"):
            return ""
        for line in (self.read_text("/proc/self/cgroup") or "").splitlines():
            if unit := re.search(r"/([^/]+\.service)$", line):
                return unit.group(1)
        return ""

    def default_shell(self) -> str:
        """See the port."""
        if self.family == "windows":
            return "powershell"
        return "bash" if shutil.which("bash") else "sh"

    def make_folder(self, path: str) -> None:
        """See the port."""
        try:
            Path(path).mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CommandFailed(f"the folder {path} could not be made: {error.strerror}") from None

    def make_private_folder(self, path: str) -> None:
        """See the port. On Windows, what may be read below ProgramData is taken away."""
        self.make_folder(path)
        try:
            Path(path).chmod(0o700)
        except OSError as error:
            raise CommandFailed(f"the folder {path} could not be closed: {error.strerror}") from None
        if sys.platform == "win32":
            keepers = [word for who in ("*S-1-5-18", "*S-1-5-32-544") for word in ("/grant:r", f"{who}:(OI)(CI)F")]
            subprocess.run(["icacls", path, "/inheritance:r", *keepers, "/Q"], check=True, capture_output=True)

    def why_not_writable(self, path: str) -> str:
        """See the port."""
        place = _nearest(path)
        if not place.is_dir():
            return f"{place} is a file, not a folder"
        return "" if os.access(place, os.W_OK | os.X_OK) else f"{place} is closed to {self.account()}"

    def fresh_folder(self, parent: str, name: str) -> str:
        """See the port."""
        folder = Path(parent) / name
        try:
            if folder.exists():
                folders.remove(folder)
            folder.mkdir(parents=True, mode=0o700)
        except OSError as error:
            raise CommandFailed(f"the folder {folder} could not be made: {error.strerror}") from None
        return str(folder)

    def remove_folder(self, path: str) -> None:
        """See the port."""
        folders.remove(Path(path))

    def folders_in(self, path: str) -> list[str]:
        """See the port."""
        return folders.names_in(Path(path))

    def names_in(self, path: str) -> frozenset[str]:
        """See the port."""
        try:
            with os.scandir(path) as entries:
                return frozenset(entry.name for entry in entries)
        except OSError:
            return frozenset()

    def folder_size(self, path: str) -> tuple[int, int]:
        """See the port."""
        return folders.size_of(Path(path))

    def find_files(self, folder: str, pattern: str) -> list[FoundFile]:
        """See the port."""
        return folders.find(Path(folder), pattern)

    def read_piece(self, place: str, offset: int, size: int) -> bytes:
        """See the port."""
        with Path(place).open("rb") as file:
            file.seek(offset)
            return file.read(size)

    def write_script(self, script: Script) -> Sequence[str]:
        """See the port."""
        return shells.written(self.family, script)

    async def start_command(self, command: Sequence[str], folder: str, variables: Mapping[str, str]) -> ScriptProcess:
        """See the port."""
        environment = {**os.environ, **variables}
        program = shutil.which(command[0], path=environment.get("PATH"))
        if program is None:
            raise CommandFailed(f"{command[0]} is not on the path of the account {self.account()}")
        from . import processes  # the preflight runs before psutil is installed

        try:
            return await processes.start([program, *command[1:]], folder, environment)
        except OSError as error:
            raise CommandFailed(f"{command[0]} could not be started: {error.strerror}") from None

    async def try_work(self, work_folder: str, server: str, quick: bool = False) -> Sequence[trials.FailedTrial]:
        """See the port."""
        if quick:
            return await in_a_daemon_thread(lambda: trials.try_work_folder(work_folder))
        return await in_a_daemon_thread(lambda: trials.try_all(work_folder, server, self._homes()))

    def _homes(self) -> list[str]:
        """The home of the agent's account, and HOME of its service if that differs. Outside a service HOME may be
        another account's."""
        if sys.platform == "win32":
            return [os.environ.get("USERPROFILE", "")]
        found = [os.environ.get("HOME", "")] if own_service() else []
        with contextlib.suppress(KeyError):
            found.append(pwd.getpwuid(os.getuid()).pw_dir)
        return [home for home in dict.fromkeys(found) if home]

    async def examine(self, note: Note, folder: str) -> Evidence:
        """See the port."""
        from ..doctor.collect import collect
        from ..doctor.evidence import Evidence

        if self.family != "linux":
            return Evidence(note.service, trouble="this version examines hosts with Linux only")
        return await in_a_daemon_thread(lambda: collect(note, folder))

    def install_doctor(self, folder: str, service: str) -> Sequence[str]:
        """See the port. Windows and macOS run the agent's own package: this way was never tried there."""
        if self.family != "linux":
            return [self.program(), "-m", "paddock_agent"]
        from ..doctor import package

        package.install(Path(folder), service)
        return ["/bin/sh", str(Path(folder, package.STARTER))]

    def upgrader(self, folder: str) -> Sequence[str]:
        """See the port."""
        if self.family == "windows":
            return [self.program(), "-m", "paddock_agent", "upgrade", "--carry-out", folder]
        from ..doctor import package

        if self.family == "macos":
            package.install(Path(folder), "")
        return ["/bin/sh", str(Path(folder, package.UPGRADER))]

    def renew_watch(self, folder: str) -> None:
        """Replaces the watch's program in its ``folder`` by that of this version. Raises CommandFailed."""
        if self.family == "linux":
            from ..doctor import package

            package.renew(Path(folder))

    def uptime(self) -> float:
        """See the port. Of a container, since that was started."""
        if self.family != "linux":
            return max(0.0, time.time() - _started_at())
        try:
            first = (self.read_text("/proc/1/stat") or "").rpartition(")")[2].split()
            since_boot = float((self.read_text("/proc/uptime") or "0").split()[0])
            return max(0.0, since_boot - int(first[19]) / os.sysconf("SC_CLK_TCK"))
        except (IndexError, ValueError):
            return 0.0

    async def is_shutting_down(self) -> bool:
        """See the port. Asked of systemd only; elsewhere it is not known."""
        if self.family != "linux":
            return False
        try:
            answer = await self.run(["systemctl", "is-system-running"], SHUTDOWN_PATIENCE)
        except CommandFailed:
            return False
        return answer.stdout.strip() == "stopping"

    def survivors(self, mark: str, groups: Collection[int]) -> list[Survivor]:
        """See the port."""
        from . import processes

        return processes.survivors(mark, groups)

    def end_survivors(self, survivors: Sequence[Survivor]) -> None:
        """See the port."""
        from . import processes

        processes.end(survivors)


def _why_not_run(path: str) -> str | None:
    """Why a file cannot be run, "" where it can; None if it does not exist or is a folder."""
    try:
        mode = os.lstat(path).st_mode
    except (OSError, ValueError):
        return None
    if stat.S_ISLNK(mode):
        try:
            mode = os.stat(path).st_mode  # noqa: PTH116
        except OSError as error:
            leads = "in a circle" if error.errno == errno.ELOOP else f"to {os.path.realpath(path)}, which is not there"
            return f"it is a link that leads {leads}"
    if not stat.S_ISREG(mode):
        return None
    return "" if os.access(path, os.X_OK) else "this account may not run it"


def _memory() -> int:
    """Bytes of memory, without a package: the preflight asks before any is installed."""
    if sys.platform != "win32":
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    kibibytes = ctypes.c_ulonglong()
    ctypes.windll.kernel32.GetPhysicallyInstalledSystemMemory(ctypes.byref(kibibytes))
    return kibibytes.value * 1024


def _started_at() -> float:
    """When this run of the machine began, by its own clock. Of a container, when that was started."""
    import psutil

    return psutil.Process(1).create_time() if sys.platform == "linux" else psutil.boot_time()


def _nearest(path: str) -> Path:
    """The path itself, or the nearest folder above it that there is."""
    place = Path(path)
    while not place.exists() and place != place.parent:
        place = place.parent
    return place


async def _bounded(stream: asyncio.StreamReader) -> str:
    kept = b""
    while data := await stream.read(MAX_OUTPUT_BYTES):
        kept += data[: MAX_OUTPUT_BYTES - len(kept)]
    return kept.decode("utf-8", "replace")


async def _end_group(process: asyncio.subprocess.Process, patience: float) -> None:
    """Ends a process and what it started; does nothing if they have ended."""
    if patience:
        _signal_group(process, signal.SIGTERM)
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(patience):
                await process.wait()
    _signal_group(process, getattr(signal, "SIGKILL", signal.SIGTERM))
    await process.wait()


def _signal_group(process: asyncio.subprocess.Process, number: signal.Signals) -> None:
    with contextlib.suppress(ProcessLookupError, PermissionError):
        if hasattr(os, "killpg"):
            os.killpg(process.pid, number)
        elif process.returncode is None:
            process.terminate()

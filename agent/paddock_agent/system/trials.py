"""What a job does first, really tried on this machine: make a folder, write, run a file, start processes, use the
network, the temporary folder and the home. Standard library only, so that it runs where packages are broken.
"""

from __future__ import annotations

import contextlib
import errno
import os
import re
import secrets
import shutil
import socket
import stat
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import getproxies, proxy_bypass

from ..units import disk_size
from .drop_ins import lines_of, own_service
from .mounts import mount_of

OPEN_FILES = 64
PROCESSES = 8
MIN_FREE_BYTES = 64 * 1024 * 1024
MIN_FREE_INODES = 200
FS_IOC_GETFLAGS = 0x80086601
FS_IMMUTABLE_FL = 0x10
TRIAL_PATIENCE = 20.0
"""Seconds after which a trial counts as failed: a disk or a name server that does not answer."""
CONNECT_PATIENCE = 5.0
SECOND_TRY_AFTER = 1.0
"""Seconds before the network is tried again: one lost packet must not take a host out."""


@dataclass(frozen=True)
class FailedTrial:
    """One thing that a job needs and that did not work. ``part`` names it, ``why`` is the system's own message with
    the name of its error number; ``facts`` are what helps to mend it, as the mount or a limit."""

    part: str
    why: str
    facts: Mapping[str, str] = field(default_factory=dict)


Trial = tuple[str, Callable[[], None], Callable[[], dict[str, str]]]


def try_all(work_folder: str, server: str, homes: Sequence[str]) -> list[FailedTrial]:
    """Tries each part, with a time limit of its own; returns those that failed. ``server`` is its address."""
    temporary, named = temporary_folder()
    trials: list[Trial] = [
        ("shell", _find_shell, lambda: {"PATH": os.environ.get("PATH", "")}),
        ("open files", _open_files, limit_facts),
        ("processes", _start_processes, limit_facts),
        ("temporary folder", lambda: write_in(temporary), lambda: {**folder_facts(temporary), **named}),
    ]
    for home in map(Path, homes):
        trials.append(("home", partial(_enter, home), partial(folder_facts, home)))
    if server:
        trials.append(("server", lambda: _reach(server), lambda: {"address": server, **proxy_facts(server)}))
    return [*try_work_folder(work_folder), *failed_of(trials)]


def try_work_folder(work_folder: str) -> list[FailedTrial]:
    """Tries to write in the work folder, and to run a file in it: each attempt needs that."""
    work = Path(work_folder)
    facts = partial(folder_facts, work)
    # A folder that cannot be written cannot run a file either: one cause, one report.
    return failed_of([("work folder", lambda: write_in(work), facts)]) or failed_of(
        [("running files", lambda: _run_a_file_in(work), facts)]
    )


def failed_of(trials: list[Trial]) -> list[FailedTrial]:
    """Runs each trial, with a time limit of its own; returns those that failed."""
    return [one for one in (_tried(*trial) for trial in trials) if one]


def _tried(part: str, trial: Callable[[], None], facts: Callable[[], dict[str, str]]) -> FailedTrial | None:
    """Runs one trial in a thread of its own: a file system that hangs must not hold the agent."""
    outcome: list[str] = []
    device: list[str] = []

    def run() -> None:
        try:
            trial()
            outcome.append("")
        except (OSError, ValueError, RuntimeError) as error:
            outcome.append(in_words(error))
            device.append(str(getattr(error, "filename", None) or ""))

    try:
        thread = threading.Thread(target=run, daemon=True, name=f"trial of {part}")
        thread.start()
    except RuntimeError as error:
        return FailedTrial("processes", f"no thread could be started: {error}", limit_facts())
    thread.join(TRIAL_PATIENCE)
    why = outcome[0] if outcome else f"it did not end within {TRIAL_PATIENCE:g} s"
    if not why:
        return None
    known: dict[str, str] = {}
    with contextlib.suppress(OSError):
        known = facts()
        if device and device[0].startswith("/dev/"):
            known |= device_facts(device[0])
        known |= lines_of(own_service())
    return FailedTrial(part, why[:500], {name: value[:300] for name, value in known.items()})


def in_words(error: Exception) -> str:
    """The system's own message for an error, with the name of its number and its path: ``No space left on device
    (ENOSPC): /srv/work``."""
    number = getattr(error, "errno", None)
    if not isinstance(error, OSError) or number is None:
        return str(error) or type(error).__name__
    message = error.strerror or str(error)
    if isinstance(error, socket.gaierror):
        return f"{message} (name lookup)"
    name = errno.errorcode.get(number, str(number))
    return f"{message} ({name})" + (f": {error.filename}" if error.filename else "")


def write_in(folder: Path) -> None:
    """As an attempt would: a folder, a file in it, on the disk."""
    place = folder / f".trial-{secrets.token_hex(4)}"
    place.mkdir(parents=True)
    try:
        with (place / "file").open("wb") as file:
            file.write(b"x" * 65536)
            file.flush()
            os.fsync(file.fileno())
        _demand_room(folder)
    finally:
        shutil.rmtree(place, ignore_errors=True)


def _demand_room(folder: Path) -> None:
    if not hasattr(os, "statvfs"):
        free = shutil.disk_usage(folder).free
    else:
        room = os.statvfs(folder)
        free = room.f_bavail * room.f_frsize
        if room.f_files and room.f_favail < MIN_FREE_INODES:
            raise OSError(errno.ENOSPC, f"only {room.f_favail} inodes are free", str(folder))
    if free < MIN_FREE_BYTES:
        raise OSError(errno.ENOSPC, f"only {disk_size(free)} are free", str(folder))


def _run_a_file_in(folder: Path) -> None:
    """A file that was written there, started by its path: builds run what they made."""
    if sys.platform == "win32":
        return
    place = folder / f".trial-{secrets.token_hex(4)}"
    place.mkdir(parents=True)
    program = place / "program"
    try:
        program.write_text("#!/bin/sh\nexit 0\n")
        program.chmod(0o700)
        _run_program(program)
    finally:
        shutil.rmtree(place, ignore_errors=True)


def _run_program(program: Path) -> None:
    for tries_left in (2, 1, 0):
        try:
            done = subprocess.run([str(program)], stdin=subprocess.DEVNULL, capture_output=True, timeout=TRIAL_PATIENCE)
            if done.returncode:
                raise ValueError(
                    f"{program.name} ended with {done.returncode}: {done.stderr[:200].decode(errors='replace')}"
                )
            return
        except OSError as error:
            # Another thread that forks at this moment may still hold the file open for writing.
            if error.errno != errno.ETXTBSY or not tries_left:
                raise
            time.sleep(0.05)


def _find_shell() -> None:
    """A shell for scripts, by the PATH that jobs get."""
    names = ("powershell", "cmd") if sys.platform == "win32" else ("bash", "sh")
    if not any(shutil.which(name) for name in names):
        raise ValueError(f"{' and '.join(names)} are not on the PATH {os.environ.get('PATH', '')}")


def _open_files() -> None:
    with contextlib.ExitStack() as stack:
        for _ in range(OPEN_FILES):
            stack.enter_context(Path(os.devnull).open("rb"))


def _start_processes() -> None:
    """Several at a time, as a build does."""
    command = ["cmd", "/c", "set /p x="] if sys.platform == "win32" else ["/bin/sh", "-c", "read x"]
    started: list[subprocess.Popen[bytes]] = []
    try:
        for _ in range(PROCESSES):
            started.append(
                subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            )
    finally:
        for one in started:
            if one.stdin:
                one.stdin.close()
        for one in started:
            try:
                one.wait(TRIAL_PATIENCE / 2)
            except subprocess.TimeoutExpired:
                one.kill()
                one.wait()


def _enter(home: Path) -> None:
    next(home.iterdir(), None)
    if not os.access(home, os.X_OK):
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(home))


def _reach(server: str) -> None:
    try:
        connect(server)
    except OSError:
        time.sleep(SECOND_TRY_AFTER)
        connect(server)


def connect(server: str) -> None:
    """A connection to the server, or to the proxy that stands before it."""
    host, port = way_to(server)
    try:
        addresses = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError as error:  # not gaierror alone: a module of the name service may fail with any number
        raise socket.gaierror(error.errno, f"{host}: {error.strerror}") from None
    last: OSError | None = None
    for family, kind, protocol, _, address in addresses[:4]:
        with socket.socket(family, kind, protocol) as attempt:
            attempt.settimeout(CONNECT_PATIENCE)
            try:
                attempt.connect(address)
                return
            except OSError as error:
                last = error
    raise OSError(
        last.errno if last and last.errno else errno.ETIMEDOUT, f"{host}:{port}: {last and (last.strerror or last)}"
    )


def way_to(server: str) -> tuple[str, int]:
    """Host and port that a connection to the server goes to first: its proxy's, where the environment names one."""
    parts = urlsplit(server)
    host = parts.hostname or ""
    proxy = proxy_facts(server).get("proxy")
    if proxy:
        try:
            by = urlsplit(proxy if "//" in proxy else f"//{proxy}")
            return by.hostname or proxy, by.port or 8080
        except ValueError:
            raise OSError(errno.EINVAL, f"{proxy} is not the address of a proxy") from None
    return host, parts.port or (443 if parts.scheme == "https" else 80)


def proxy_facts(server: str) -> dict[str, str]:
    """The proxy that the environment names for the server, and by which variable; nothing where there is none."""
    parts = urlsplit(server)
    proxies = getproxies()
    proxy = proxies.get(parts.scheme) or proxies.get("all")
    if not proxy or proxy_bypass(parts.hostname or ""):
        return {}
    names = [f"{parts.scheme}_proxy", f"{parts.scheme}_proxy".upper(), "all_proxy", "ALL_PROXY"]
    name = next((one for one in names if os.environ.get(one) == proxy), "")
    return {"proxy": _without_password(proxy), "proxy variable": name}


def _without_password(proxy: str) -> str:
    """Scheme, host and port of a proxy's address; as it is, up to a name in it, if it is not an address."""
    try:
        shown = urlsplit(proxy if "//" in proxy else f"//{proxy}")
        address = f"{shown.hostname}:{shown.port}" if shown.port else str(shown.hostname)
    except ValueError:
        return re.sub(r"//[^@]*@", "//…@", proxy)[:100]
    return f"{shown.scheme}://{address}" if shown.scheme else address


def temporary_folder() -> tuple[Path, dict[str, str]]:
    """Where programs of this account put their temporary files; and, as a fact, the variable that names it."""
    for name in ("TMPDIR", "TEMP", "TMP"):
        if value := os.environ.get(name):
            return Path(value), {"variable": name}
    return Path(r"C:\Windows\Temp" if sys.platform == "win32" else "/tmp"), {}  # noqa: S108 - tried, not trusted


def folder_facts(folder: Path) -> dict[str, str]:
    """Owner, permissions, mount and room of a folder, or of the nearest one above it that exists."""
    place = nearest(folder)
    facts = {"folder": str(folder), "nearest": str(place)}
    with contextlib.suppress(OSError):
        about = place.stat()
        facts["mode"] = f"{about.st_mode & 0o7777:o}"
        facts["kind"] = "folder" if place.is_dir() else "file"
        facts["owner"] = owner_of(place)
    if place.is_symlink() and not place.exists():
        facts["leads to"] = os.path.realpath(place)
    facts |= _own_permissions(place)
    if closed := _closed_at(folder):
        facts["closed at"] = closed
    if _is_immutable(place):
        facts["attributes"] = "immutable"
    if mount := mount_of(str(place)):
        facts |= {"mount": mount.point, "mount type": mount.kind, "mount options": mount.options}
    with contextlib.suppress(OSError):
        if hasattr(os, "statvfs"):
            room = os.statvfs(place)
            facts |= {
                "free": str(room.f_bavail * room.f_frsize), "size": str(room.f_blocks * room.f_frsize),
                "free inodes": str(room.f_favail), "inodes": str(room.f_files),
            }  # fmt: skip
    return facts


def device_facts(path: str) -> dict[str, str]:
    """What stands at the path of a device: its kind, owner, permissions, and whether something is mounted over it."""
    facts = {"device": path, "device kind": "nothing"}
    with contextlib.suppress(OSError):
        about = Path(path).stat()
        facts["device kind"] = "device" if stat.S_ISCHR(about.st_mode) else "no device"
        facts["device mode"] = f"{about.st_mode & 0o7777:o}"
        facts["device owner"] = owner_of(Path(path))
    mount = mount_of(path)
    if mount and mount.point == path:
        facts["device mount"] = mount.source
    return facts


def _own_permissions(place: Path) -> dict[str, str]:
    """Whether this process may make files in a folder, and the permissions that it takes from what it makes."""
    facts = {"may write": "yes" if os.access(place, os.W_OK | os.X_OK) else "no"}
    with contextlib.suppress(OSError):
        status = Path("/proc/self/status").read_text(encoding="utf-8", errors="replace")
        if mask := re.search(r"^Umask:\s*([0-7]{3,5})$", status, re.MULTILINE):
            facts["mask"] = mask.group(1)
    return facts


def _closed_at(folder: Path) -> str:
    """The highest folder on the way that this account may not pass; "" where it may pass all."""
    for place in reversed([folder, *folder.parents]):
        if place.exists() and not os.access(place, os.X_OK):
            return str(place)
    return ""


def _is_immutable(place: Path) -> bool:
    """Whether the file system has it marked immutable (ioctl_iflags(2)); Linux only."""
    if not sys.platform.startswith("linux"):
        return False
    import fcntl

    try:
        handle = os.open(place, os.O_RDONLY | os.O_NONBLOCK)
    except OSError:
        return False
    try:
        flags = fcntl.ioctl(handle, FS_IOC_GETFLAGS, bytes(8))
        return bool(int.from_bytes(flags[:4], sys.byteorder) & FS_IMMUTABLE_FL)
    except OSError:
        return False
    finally:
        os.close(handle)


def owner_of(place: Path) -> str:
    if sys.platform == "win32":
        return ""
    try:
        return f"{place.owner()}:{place.group()}"
    except KeyError:
        return str(place.stat().st_uid)


def nearest(path: Path) -> Path:
    """The path itself, or the nearest one above it that exists and can be looked at."""
    while path != path.parent:
        try:
            path.lstat()
            return path
        except OSError:
            path = path.parent
    return path


def limit_facts() -> dict[str, str]:
    """The limits of this process, and those of the control group that holds it."""
    if sys.platform == "win32":
        return {}
    import resource

    facts = {}
    for name, number in (
        ("open files", resource.RLIMIT_NOFILE),
        ("processes", getattr(resource, "RLIMIT_NPROC", None)),
    ):
        if number is not None:
            soft = resource.getrlimit(number)[0]
            facts[f"limit of {name}"] = "no limit" if soft == resource.RLIM_INFINITY else str(soft)
    group = _own_group()
    for name, file in (
        ("tasks in the service", "pids.current"),
        ("limit of tasks", "pids.max"),
        ("limit of memory", "memory.max"),
    ):
        with contextlib.suppress(OSError):
            facts[name] = (group / file).read_text().strip()
    return facts


def _own_group() -> Path:
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/cgroup").read_text().splitlines():
            number, _, path = line.split(":", 2)
            if number == "0":
                base = "/sys/fs/cgroup/unified" if Path("/sys/fs/cgroup/unified").is_dir() else "/sys/fs/cgroup"
                return Path(base + path)
    return Path("/nonexistent")

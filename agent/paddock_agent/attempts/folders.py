"""The work folders: fresh ones for one attempt each, warm ones that a pipeline comes back to, and which of them go.

WORK/fresh/12-1-3fa9c2      of one attempt; the newest ended ones stay a while, so that a person can look
WORK/warm/NAME/1            of one pipeline; there are as many as jobs of it ran at one time
WORK/scripts/12-1-3fa9c2    the files of the steps' scripts
"""

from __future__ import annotations

import contextlib
import hashlib
import re
import threading
import time
from collections.abc import Callable, Iterable
from pathlib import Path

import msgspec

from ..system import System
from ..system.paths import paths_of
from ..wire import FolderState

FRESH, WARM, SCRIPTS = "fresh", "warm", "scripts"
FRESH_KEPT = 10
FRESH_DAYS = 3
DAY = 24 * 3600.0
LOW_SHARE = 0.1
LOW_BYTES = 10 * 1024**3
"""A disk is low with less free than both of these: then folders go, oldest first, until it is not."""


def is_low(free: int, total: int) -> bool:
    """Whether so little is free that folders have to go."""
    return free < min(LOW_BYTES, total * LOW_SHARE)


def to_remove(
    folders: Iterable[FolderState], now: float, warm_days: float, free: int, total: int
) -> list[tuple[FolderState, str]]:
    """Which folders go, each with why. One in use never does. Sizes in bytes, times in seconds since the epoch."""
    idle = sorted((one for one in folders if not one.in_use), key=lambda one: one.used_at)
    fresh = [one for one in idle if one.kind == FRESH]
    leaving: dict[str, tuple[FolderState, str]] = {}
    for one in fresh[: max(0, len(fresh) - FRESH_KEPT)]:
        leaving[one.path] = one, f"{FRESH_KEPT} newer ones are kept"
    for one in idle:
        days = FRESH_DAYS if one.kind == FRESH else warm_days
        if now - one.used_at > days * DAY:
            leaving.setdefault(one.path, (one, f"it was not used for {days:g} days"))
    free += sum(one.size for one, _ in leaving.values())
    for one in idle:
        if not is_low(free, total):
            break
        if one.path not in leaving:
            leaving[one.path] = one, "the disk is low"
            free += one.size
    return list(leaving.values())


def called(pipeline: str) -> str:
    """The name of a pipeline's folder: short, and no other pipeline's."""
    plain = re.sub(r"[^a-z0-9]+", "-", pipeline.lower()).strip("-")[:20]
    return f"{plain}-{hashlib.sha256(pipeline.encode()).hexdigest()[:6]}"


def short_name(attempt: str) -> str:
    """The name of an attempt's own folders: its identity is cut short, since Windows' paths may not be long."""
    job, number, *identity = attempt.split("-", 2)
    return "-".join([job, number, *(one[:6] for one in identity)])


class WorkFolders:
    """The work folders of one host. What is known of them is kept in ``record``, for sizes take long to find out."""

    def __init__(self, system: System, work_folder: str, record: Path, clock: Callable[[], float] = time.time) -> None:
        self._system = system
        self._work = work_folder
        self._record = record
        self._clock = clock
        self._join = paths_of(system).join
        self.warm_days: float = 14
        self.removed: list[str] = []
        self._known: dict[str, FolderState] = {}
        # Measuring and removing take long and happen in threads, while attempts take and release folders.
        self._lock = threading.RLock()
        self._read()

    def fresh(self, attempt: str, pipeline: str) -> str:
        """An empty folder for one attempt. Raises CommandFailed."""
        path = self._system.fresh_folder(self._join(self._work, FRESH), short_name(attempt))
        self._note(FolderState(path, FRESH, pipeline, attempt, used_at=self._clock(), in_use=True))
        return path

    def warm(self, attempt: str, pipeline: str) -> tuple[str, bool]:
        """The folder that its pipeline used last and that nothing uses now, and whether there was one. Raises
        CommandFailed."""
        base = self._join(self._work, WARM, called(pipeline))
        with self._lock:
            there = self._system.folders_in(base)
            for one in self.states():
                is_its_own = one.kind == WARM and one.pipeline == pipeline and not one.in_use
                if is_its_own and paths_of(self._system).basename(one.path) in there:
                    self._note(msgspec.structs.replace(one, attempt=attempt, used_at=self._clock(), in_use=True))
                    return one.path, True
            taken = {one.path for one in self._known.values() if one.in_use}
            number = next(n for n in range(1, 10_000) if self._join(base, str(n)) not in taken)
            path = self._system.fresh_folder(base, str(number))
            self._note(FolderState(path, WARM, pipeline, attempt, used_at=self._clock(), in_use=True))
            return path, False

    def script(self, attempt: str, step: int) -> str:
        """The path of a step's script, without its ending."""
        path: str = self._join(self._work, SCRIPTS, short_name(attempt), f"step-{step + 1}")
        return path

    def release(self, path: str, attempt: str) -> None:
        """The attempt is over: its folder is free again, its scripts are deleted."""
        self._system.remove_folder(self._join(self._work, SCRIPTS, short_name(attempt)))
        with self._lock:
            if one := self._known.get(path):
                self._note(msgspec.structs.replace(one, in_use=False, used_at=self._clock()))

    def measure(self, path: str) -> None:
        """Finds out the size of a folder. May take long: to be called in a thread."""
        size, files = self._system.folder_size(path)
        with self._lock:
            if one := self._known.get(path):
                self._note(msgspec.structs.replace(one, size=size, files=files))

    def tidy(self) -> None:
        """Removes what should go. To be called in a thread."""
        disk = self._system.disk(self._work)
        for one, why in to_remove(self.states(), self._clock(), self.warm_days, disk.free, disk.total):
            self._remove(one, why)

    def clear(self, paths: Iterable[str]) -> None:
        """Removes these folders, or all where none is named, unless they are in use. To be called in a thread."""
        wanted = set(paths)
        for one in self.states():
            if not one.in_use and (not wanted or one.path in wanted):
                self._remove(one, "a person asked for it")

    def states(self) -> list[FolderState]:
        """All folders, the newest used first."""
        with self._lock:
            return sorted(self._known.values(), key=lambda one: -one.used_at)

    def _remove(self, one: FolderState, why: str) -> None:
        with self._lock:
            current = self._known.get(one.path)
            if current is None or current.in_use:
                return
            # No attempt may use it while it is removed.
            self._known[one.path] = msgspec.structs.replace(current, in_use=True)
        self._system.remove_folder(one.path)
        with self._lock:
            del self._known[one.path]
            self._write()
        self.removed.append(f"{one.path}: {why}")

    def _note(self, state: FolderState) -> None:
        with self._lock:
            self._known[state.path] = state
            self._write()

    def _read(self) -> None:
        """The record of an earlier agent, as far as the folders still exist, and unrecorded folders."""
        try:
            noted = msgspec.json.decode(self._record.read_bytes(), type=list[FolderState])
        except (OSError, msgspec.DecodeError):
            noted = []
        by_path = {one.path: one for one in noted}
        for kind, base in ((FRESH, self._join(self._work, FRESH)), *self._warm_bases()):
            for name in self._system.folders_in(base):
                path = self._join(base, name)
                known = by_path.get(path) or FolderState(path, kind, used_at=self._clock())
                self._known[path] = msgspec.structs.replace(known, in_use=False)

    def _warm_bases(self) -> list[tuple[str, str]]:
        base = self._join(self._work, WARM)
        return [(WARM, self._join(base, name)) for name in self._system.folders_in(base)]

    def _write(self) -> None:
        fresh = self._record.with_suffix(".new")
        # On a full disk an older record stays, which serves: the next agent looks at the disk as well.
        with contextlib.suppress(OSError):
            self._record.parent.mkdir(parents=True, exist_ok=True)
            fresh.write_bytes(msgspec.json.encode(list(self._known.values())))
            fresh.replace(self._record)

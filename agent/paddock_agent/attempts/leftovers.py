"""Scripts that outlived an agent that was killed: noted while they run, ended when the agent starts again."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import msgspec
import psutil

from ..system import System


class _Note(msgspec.Struct):
    mark: str
    pid: int
    born: float


def note(folder: Path, attempt: str, mark: str, pid: int) -> None:
    """Writes down that ``attempt`` runs as process group ``pid`` with ``mark`` in its environment. A script that is
    gone already needs no note. Where the disk is full, that of an earlier step stays: its mark is the same."""
    if pid:
        with contextlib.suppress(psutil.NoSuchProcess, OSError):
            folder.mkdir(parents=True, exist_ok=True)
            written = msgspec.json.encode(_Note(mark, pid, psutil.Process(pid).create_time()))
            fresh = folder / f"{attempt}.new"
            fresh.write_bytes(written)
            fresh.replace(folder / f"{attempt}.json")


def strike(folder: Path, attempt: str) -> None:
    """Strikes the note of an attempt that has ended. One that cannot be struck names a process that is gone."""
    with contextlib.suppress(OSError):
        (folder / f"{attempt}.json").unlink(missing_ok=True)


def end_all(system: System, folder: Path) -> list[str]:
    """Ends what still runs of an earlier agent's attempts, and returns which. A process that merely has the number of
    one, and was born at another time, is left alone."""
    ended = []
    for file in sorted(folder.glob("*.json")):
        with contextlib.suppress(psutil.Error, OSError, msgspec.DecodeError):
            written = msgspec.json.decode(file.read_bytes(), type=_Note)
            found = system.survivors(written.mark, [written.pid] if _is_same(written) else [])
            system.end_survivors(found)
            if found:
                ended.append(file.stem)
        file.unlink(missing_ok=True)
    return ended


def _is_same(written: _Note) -> bool:
    """Whether the process group is still the one that was noted: its first process lives, or nothing has its number."""
    with contextlib.suppress(psutil.NoSuchProcess):
        return abs(psutil.Process(written.pid).create_time() - written.born) < 1
    return hasattr(os, "killpg")

"""Scripts that outlived an agent that was killed: noted while they run, ended when the agent starts again."""

from __future__ import annotations

import contextlib
import os
import signal
from pathlib import Path

import msgspec
import psutil


class _Note(msgspec.Struct):
    pid: int
    born: float


def note(folder: Path, attempt: str, pid: int) -> None:
    """Writes down that ``attempt`` runs as process group ``pid``. A script that is gone already needs no note."""
    if pid:
        folder.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(psutil.NoSuchProcess):
            written = msgspec.json.encode(_Note(pid, psutil.Process(pid).create_time()))
            (folder / f"{attempt}.json").write_bytes(written)


def strike(folder: Path, attempt: str) -> None:
    """Strikes the note of an attempt that has ended."""
    (folder / f"{attempt}.json").unlink(missing_ok=True)


def end_all(folder: Path) -> list[str]:
    """Ends what still runs of an earlier agent's attempts, and returns which. A process that merely has the number of
    one, and was born at another time, is left alone."""
    ended = []
    for file in sorted(folder.glob("*.json")):
        with contextlib.suppress(psutil.Error, OSError, msgspec.DecodeError):
            written = msgspec.json.decode(file.read_bytes(), type=_Note)
            if abs(psutil.Process(written.pid).create_time() - written.born) < 1:
                _kill(written.pid)
                ended.append(file.stem)
        file.unlink(missing_ok=True)
    return ended


def _kill(pid: int) -> None:
    if hasattr(os, "killpg"):
        os.killpg(pid, signal.SIGKILL)
        return
    for child in psutil.Process(pid).children(recursive=True):
        child.kill()
    psutil.Process(pid).kill()

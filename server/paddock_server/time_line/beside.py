"""The file beside the database that tells whether the database was set back: ``PADDOCK_DATA/time-line.json``."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

from django.conf import settings


@dataclass(frozen=True)
class Beside:
    """``mark`` as of the last write; ``jobs`` is the highest job number that was used by then."""

    mark: str
    jobs: int


def read_beside() -> Beside | None:
    """What the file says; None where there is none, or where it cannot be read."""
    with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
        read = json.loads(_file().read_text())
        return Beside(str(read["mark"]), int(read["jobs"]))
    return None


def write_beside(beside: Beside) -> None:
    """Replaces the file as a whole, on the disk. Raises OSError."""
    fresh = _file().with_suffix(".new")
    handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as written:
        json.dump(asdict(beside), written)
        written.flush()
        os.fsync(written.fileno())
    fresh.replace(_file())


def highest_logged_job() -> int:
    """The highest job number that has a log on this server's disk; 0 without any."""
    logs = Path(settings.LOGS)
    with contextlib.suppress(OSError):
        for folder in sorted((one for one in logs.iterdir() if one.name.isdecimal()), reverse=True):
            jobs = [int(head) for file in folder.iterdir() if (head := file.name.split("-")[0]).isdecimal()]
            if jobs:
                return max(jobs)
    return 0


def _file() -> Path:
    return Path(settings.DATA) / "time-line.json"

"""What keeps the server from writing: a database that is locked or read-only, a disk that is full. Each gets an answer,
with what to do, instead of failing as a fault of the server's."""

from __future__ import annotations

import errno
import os
import secrets
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from django.db import OperationalError

from .writer import WriterStopped


@dataclass(frozen=True)
class Trouble:
    """An answer's status, title and sentence. ``retry_after`` in seconds, 0 where waiting does not help."""

    status: int
    title: str
    detail: str
    retry_after: int = 0


BUSY = Trouble(
    503, "The database is busy", "Another program holds the server's database. Nothing was changed; try again.", 10
)
FULL = Trouble(
    507,
    "The disk is full",
    "The disk of the server's data folder is full. Nothing was changed. Make room, then repeat it.",
)
READ_ONLY = Trouble(
    503,
    "The data folder cannot be written",
    "The server may not write in its data folder, or the disk is read-only. Nothing was changed. Its log says more.",
)
STOPPING = Trouble(503, "The server is stopping", "It takes nothing more. Nothing was changed; try again.", 10)
_BY_WORDS = {
    "locked": BUSY,
    "busy": BUSY,
    "full": FULL,
    "readonly": READ_ONLY,
    "read-only": READ_ONLY,
    "unable to open": READ_ONLY,
    "disk i/o error": READ_ONLY,
}
_BY_NUMBER = {
    errno.ENOSPC: FULL,
    errno.EDQUOT: FULL,
    errno.EROFS: READ_ONLY,
    errno.EACCES: READ_ONLY,
    errno.EPERM: READ_ONLY,
}
LEAST_FREE = 16 * 1024 * 1024
"""Bytes: with less the database soon cannot be written."""


def trouble_of(error: BaseException) -> Trouble | None:
    """What an error says of the storage; None for one that is about something else."""
    if isinstance(error, WriterStopped):
        return STOPPING
    if isinstance(error, OperationalError | sqlite3.OperationalError):
        message = str(error).lower()
        return next((trouble for words, trouble in _BY_WORDS.items() if words in message), None)
    if isinstance(error, OSError) and error.errno is not None:
        return _BY_NUMBER.get(error.errno)
    return None


def look(folder: Path, database: Path, patience: float = 1.0) -> Trouble | None:
    """Whether the server could write at this moment. Writes a few bytes, and takes the database for an instant."""
    probe = folder / f".probe-{secrets.token_hex(4)}"
    try:
        disk = os.statvfs(folder)
        if disk.f_bavail * disk.f_frsize < LEAST_FREE:
            return FULL
        probe.write_bytes(b"x" * 512)
        with closing(sqlite3.connect(database, timeout=patience, isolation_level=None)) as connection:
            connection.execute("BEGIN IMMEDIATE")
            connection.execute("ROLLBACK")
    except (OSError, sqlite3.Error) as error:
        return trouble_of(error) or READ_ONLY
    finally:
        try:
            probe.unlink(missing_ok=True)
        except OSError:
            return READ_ONLY
    return None

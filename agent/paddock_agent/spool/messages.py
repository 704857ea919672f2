"""Messages that wait to be acknowledged, in an SQLite file."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import msgspec

from .. import wire
from ..errors import AgentError

log = logging.getLogger("paddock.agent")

_COLUMNS = "seq INTEGER PRIMARY KEY, attempt TEXT, log_size INTEGER, is_end INTEGER, body BLOB"


class Waiting(NamedTuple):
    """A message that waits: the attempt that it is about ("" for none), and how many bytes of its log come first."""

    seq: int
    attempt: str
    log_size: int
    is_end: bool
    body: bytes


class Messages:
    """Messages in order, numbered from 1. Survives a kill of the process; one process at a time holds it. All are in
    memory too: what the agent sends is read from there, so the file is written only."""

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._db = sqlite3.connect(file, isolation_level=None, timeout=0.5)
        try:
            self._db.execute("PRAGMA locking_mode=EXCLUSIVE")
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=NORMAL")
            self._db.execute(f"CREATE TABLE IF NOT EXISTS waiting ({_COLUMNS})")
            self._db.execute("BEGIN IMMEDIATE")
            self._db.execute("COMMIT")
        except sqlite3.OperationalError as error:
            if "locked" not in str(error):
                raise AgentError(
                    f"The file {file} with messages for the server cannot be written: {error}. Check its owner, its "
                    "attributes and the room on its disk."
                ) from None
            raise AgentError(
                f"Another agent is running from {file.parent} already ({error}). Stop it first, or give this one its "
                "own folder with --home."
            ) from None
        rows = self._db.execute("SELECT seq, attempt, log_size, is_end, body FROM waiting ORDER BY seq")
        self._waiting = {seq: Waiting(seq, attempt, size, bool(end), body) for seq, attempt, size, end, body in rows}
        self._last = max(self._waiting, default=0)
        self._unwritten: dict[int, Waiting] = {}
        self._undeleted: list[int] = []

    def add(self, message: wire.FromAgent, log_size: int) -> int:
        """Keeps a message and returns its number. A full disk loses none: a job may have filled it, and its end has to
        be told all the more. What one attempt can say is bounded, so what waits in memory is too."""
        self._last += 1
        body = wire.encode(msgspec.structs.replace(message, seq=self._last))
        attempt = getattr(message, "attempt", "")
        added = Waiting(self._last, attempt, log_size, isinstance(message, wire.AttemptEnded), body)
        self._waiting[self._last] = self._unwritten[self._last] = added
        self._write()
        return self._last

    def forget(self, seq: int) -> None:
        """Drops a message that the server has acknowledged. What cannot be deleted is told again after a restart,
        which is harmless."""
        if self._waiting.pop(seq, None) and not self._unwritten.pop(seq, None):
            self._undeleted.append(seq)
        self._write()

    def _write(self) -> None:
        is_news = len(self._unwritten) + len(self._undeleted) == 1
        try:
            while self._undeleted:
                self._db.execute("DELETE FROM waiting WHERE seq = ?", self._undeleted[-1:])
                self._undeleted.pop()
            for seq, waiting in list(self._unwritten.items()):
                self._db.execute("INSERT INTO waiting VALUES (?, ?, ?, ?, ?)", waiting)
                del self._unwritten[seq]
        except sqlite3.OperationalError as error:
            if is_news:
                log.warning("Messages wait in memory: the spool cannot be written (%s).", error)

    def __iter__(self) -> Iterator[Waiting]:
        return iter(self._waiting.values())

    def __len__(self) -> int:
        return len(self._waiting)

    def __contains__(self, seq: int) -> bool:
        return seq in self._waiting

    def take_old(self) -> list[bytes]:
        """The messages, logs among them, of an agent of an earlier version, which are then here no more."""
        if not self._db.execute("SELECT 1 FROM sqlite_master WHERE name = 'message'").fetchone():
            return []
        bodies = [body for (body,) in self._db.execute("SELECT body FROM message ORDER BY seq")]
        self._db.execute("DROP TABLE message")
        return bodies

    def close(self) -> None:
        """Lets go of the file."""
        self._db.close()

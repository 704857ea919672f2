"""Queue of unacknowledged messages, in an SQLite file."""

from __future__ import annotations

import contextlib
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


class QueuedMessage(NamedTuple):
    """A message, the attempt that it is about ("" for none), and the size of the attempt's log to send before it."""

    seq: int
    attempt: str
    log_size: int
    is_end: bool
    body: bytes


class Messages:
    """Messages in order, numbered from 1. The queue survives a kill of the process; one process at a time can open it.
    Every message is in memory as well, and the file is only read at start."""

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._db = sqlite3.connect(file, isolation_level=None, timeout=0.5)
        try:
            self._db.execute("PRAGMA locking_mode=EXCLUSIVE")
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=NORMAL")
            self._db.execute(f"CREATE TABLE IF NOT EXISTS queue ({_COLUMNS})")
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
        rows = self._db.execute("SELECT seq, attempt, log_size, is_end, body FROM queue ORDER BY seq")
        self._queue = {
            seq: QueuedMessage(seq, attempt, size, bool(is_end), body) for seq, attempt, size, is_end, body in rows
        }
        self._last = max(self._queue, default=0)
        self._unwritten: dict[int, QueuedMessage] = {}
        self._undeleted: list[int] = []

    def add(self, message: wire.FromAgent, log_size: int) -> int:
        """Adds a message and returns its number. While the disk is full, messages stay in memory only: a job may have
        filled the disk, and the server must still learn of its end. The output of one attempt has a limit, so the
        memory has one too."""
        self._last += 1
        body = wire.encode(msgspec.structs.replace(message, seq=self._last))
        attempt = getattr(message, "attempt", "")
        added = QueuedMessage(self._last, attempt, log_size, isinstance(message, wire.AttemptEnded), body)
        self._queue[self._last] = self._unwritten[self._last] = added
        self._write()
        return self._last

    def forget(self, seq: int) -> None:
        """Drops an acknowledged message. If the file cannot be written, the agent sends the message again after a
        restart, which is harmless."""
        if self._queue.pop(seq, None) and not self._unwritten.pop(seq, None):
            self._undeleted.append(seq)
        self._write()

    def _write(self) -> None:
        is_news = len(self._unwritten) + len(self._undeleted) == 1
        try:
            while self._undeleted:
                self._db.execute("DELETE FROM queue WHERE seq = ?", self._undeleted[-1:])
                self._undeleted.pop()
            for seq, message in list(self._unwritten.items()):
                self._db.execute("INSERT INTO queue VALUES (?, ?, ?, ?, ?)", message)
                del self._unwritten[seq]
        except sqlite3.OperationalError as error:
            if is_news:
                log.warning("Messages stay in memory: the spool cannot be written (%s).", error)

    def __iter__(self) -> Iterator[QueuedMessage]:
        return iter(self._queue.values())

    def __len__(self) -> int:
        return len(self._queue)

    def __contains__(self, seq: int) -> bool:
        return seq in self._queue

    def legacy(self) -> list[bytes]:
        """The messages of an earlier agent version, logs included."""
        if not self._db.execute("SELECT 1 FROM sqlite_master WHERE name = 'message'").fetchone():
            return []
        return [body for (body,) in self._db.execute("SELECT body FROM message ORDER BY seq")]

    def remove_legacy(self) -> None:
        """Removes the table of an earlier agent version."""
        with contextlib.suppress(sqlite3.OperationalError):  # on a full disk the next start adds the messages again
            self._db.execute("DROP TABLE IF EXISTS message")

    def close(self) -> None:
        """Closes the file."""
        self._db.close()

"""What the server must still hear, kept on disk until it has acknowledged it; while the disk is full, in memory."""

from __future__ import annotations

import logging
import sqlite3
from collections import deque
from pathlib import Path

import msgspec

from . import wire
from .errors import AgentError

log = logging.getLogger("paddock.agent")


class Spool:
    """Messages in order, numbered from 1. Survives a kill of the process; one process at a time holds it."""

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._db = sqlite3.connect(file, isolation_level=None, timeout=0.5)
        try:
            self._db.execute("PRAGMA locking_mode=EXCLUSIVE")
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=NORMAL")
            self._db.execute(
                "CREATE TABLE IF NOT EXISTS message (seq INTEGER PRIMARY KEY, ended TEXT NOT NULL, body BLOB NOT NULL)"
            )
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
        self._last: int = self._db.execute("SELECT COALESCE(MAX(seq), 0) FROM message").fetchone()[0]
        self._unwritten: deque[tuple[int, str, bytes]] = deque()
        self._forgotten = 0

    def add(self, message: wire.FromAgent) -> int:
        """Keeps a message and returns its number. A full disk loses none: a job may have filled it, and its end has to
        be told all the more. What one attempt can say is bounded, so what waits in memory is too."""
        self._last += 1
        body = wire.encode(msgspec.structs.replace(message, seq=self._last))
        ended = message.attempt if isinstance(message, wire.AttemptEnded) else ""
        self._unwritten.append((self._last, ended, body))
        self._write()
        return self._last

    def _write(self) -> None:
        is_news = len(self._unwritten) == 1
        try:
            while self._unwritten:
                self._db.execute("INSERT INTO message VALUES (?, ?, ?)", self._unwritten[0])
                self._unwritten.popleft()
        except sqlite3.OperationalError as error:
            if is_news:
                log.warning("Messages wait in memory: the spool cannot be written (%s).", error)

    def after(self, seq: int, limit: int) -> list[tuple[int, bytes]]:
        """The next messages with their numbers, at most ``limit``."""
        seq = max(seq, self._forgotten)
        found: list[tuple[int, bytes]] = self._db.execute(
            "SELECT seq, body FROM message WHERE seq > ? ORDER BY seq LIMIT ?", (seq, limit)
        ).fetchall()
        if self._unwritten:
            found += [(number, body) for number, _, body in self._unwritten if number > seq]
        return found[:limit]

    def forget(self, seq: int) -> None:
        """Drops what the server has acknowledged: everything up to ``seq``."""
        self._forgotten = max(self._forgotten, seq)
        while self._unwritten and self._unwritten[0][0] <= seq:
            self._unwritten.popleft()
        try:
            self._db.execute("DELETE FROM message WHERE seq <= ?", (self._forgotten,))
        except sqlite3.OperationalError as error:
            # A later call deletes it too; if there is none, the server passes over what it has heard before.
            log.warning("The spool cannot be written (%s).", error)
        self._write()

    def untold_ends(self) -> list[str]:
        """The attempts whose end the server has not acknowledged."""
        written = "SELECT ended FROM message WHERE ended != '' AND seq > ? ORDER BY seq"
        return [
            *(row[0] for row in self._db.execute(written, (self._forgotten,))),
            *(ended for _, ended, _ in self._unwritten if ended),
        ]

    def __len__(self) -> int:
        written = "SELECT COUNT(*) FROM message WHERE seq > ?"
        count: int = self._db.execute(written, (self._forgotten,)).fetchone()[0]
        return count + len(self._unwritten)

    def close(self) -> None:
        """Lets go of the file."""
        self._db.close()

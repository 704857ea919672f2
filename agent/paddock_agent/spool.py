"""What the server must still hear, kept on disk until it has acknowledged it."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import msgspec

from . import wire
from .errors import AgentError


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
            raise AgentError(
                f"Another agent is running from {file.parent} already ({error}). Stop it first, or give this one its "
                "own folder with --home."
            ) from None
        self._last: int = self._db.execute("SELECT COALESCE(MAX(seq), 0) FROM message").fetchone()[0]

    def add(self, message: wire.FromAgent) -> int:
        """Keeps a message and returns its number."""
        seq = self._last + 1
        body = wire.encode(msgspec.structs.replace(message, seq=seq))
        ended = message.attempt if isinstance(message, wire.AttemptEnded) else ""
        self._db.execute("INSERT INTO message VALUES (?, ?, ?)", (seq, ended, body))
        self._last = seq
        return seq

    def after(self, seq: int, limit: int) -> list[tuple[int, bytes]]:
        """The next messages with their numbers, at most ``limit``."""
        return self._db.execute(
            "SELECT seq, body FROM message WHERE seq > ? ORDER BY seq LIMIT ?", (seq, limit)
        ).fetchall()

    def forget(self, seq: int) -> None:
        """Drops what the server has acknowledged: everything up to ``seq``."""
        self._db.execute("DELETE FROM message WHERE seq <= ?", (seq,))

    def untold_ends(self) -> list[str]:
        """The attempts whose end the server has not acknowledged."""
        return [row[0] for row in self._db.execute("SELECT ended FROM message WHERE ended != '' ORDER BY seq")]

    def __len__(self) -> int:
        count: int = self._db.execute("SELECT COUNT(*) FROM message").fetchone()[0]
        return count

    def close(self) -> None:
        """Lets go of the file."""
        self._db.close()

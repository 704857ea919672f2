"""Copies the database."""

from __future__ import annotations

import contextlib
import sqlite3
from pathlib import Path


def copy_database(source: Path, target: Path) -> None:
    """By SQLite's online backup: complete, even while the server writes. Raises sqlite3.Error and OSError."""
    with (
        contextlib.closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True, timeout=60)) as living,
        contextlib.closing(sqlite3.connect(target)) as copy,
    ):
        living.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    target.chmod(0o600)

"""Makes a new database at once, from what all migrations together come to: one by one they take many times as long.

``new_database.sql`` is written by ``make new-database``; a test compares it with what the migrations make.
"""

from __future__ import annotations

import sqlite3
from pathlib import Path

from django.db import connection
from django.utils import timezone

SCRIPT = Path(__file__).with_name("new_database.sql")
MADE_AT = "2026-01-01 00:00:00"
"""Stands in the script for the moment at which a migration was applied."""


def fill_new_database() -> None:
    """Fills the database, which has no tables, as a whole or not at all."""
    connection.ensure_connection()
    raw: sqlite3.Connection = connection.connection
    now = f"{timezone.now():%Y-%m-%d %H:%M:%S}"
    # The script names tables before it makes them.
    with connection.constraint_checks_disabled():
        try:
            raw.executescript(SCRIPT.read_text().replace(MADE_AT, now))
        except sqlite3.Error:
            raw.rollback()
            raise


def script_of(database: sqlite3.Connection) -> str:
    """The script that makes a database like this one."""
    database.execute("UPDATE django_migrations SET applied = ?", (MADE_AT,))
    database.commit()
    return "".join(f"{line}\n" for line in database.iterdump())

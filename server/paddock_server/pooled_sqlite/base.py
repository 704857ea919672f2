"""Django's SQLite backend, whose connections are not closed but kept for whoever needs one next.

The server works for a moment at a time, in many threads, and each moment ends with its connection closed. Opening one
a new connection costs more than most queries, and closing the last one writes the whole WAL back into the database.

Connections of threads that may only read refuse to write: what changes the database goes through the one writer.
"""

from __future__ import annotations

import sqlite3
import threading
from typing import Any

from django.db.backends.sqlite3 import base

from ..storage.roles import only_reads

MAX_IDLE = 8
_idle: dict[tuple[str, bool], list[sqlite3.Connection]] = {}
_lock = threading.Lock()


class DatabaseWrapper(base.DatabaseWrapper):
    """As Django's; a connection with an open transaction is closed, which rolls it back."""

    _reads = False

    def get_new_connection(self, conn_params: dict[str, Any]) -> sqlite3.Connection:
        self._reads = only_reads()
        with _lock:
            if idle := _idle.get(self._key):
                return idle.pop()
        connection: sqlite3.Connection = super().get_new_connection(conn_params)
        if self._reads:
            connection.execute("PRAGMA query_only = ON")
        return connection

    def _close(self) -> None:
        connection = self.connection
        if connection is None:
            return
        if not (connection.in_transaction or self.in_atomic_block):
            with _lock:
                idle = _idle.setdefault(self._key, [])
                if len(idle) < MAX_IDLE:
                    idle.append(connection)
                    return
        with self.wrap_database_errors:
            connection.close()

    @property
    def _key(self) -> tuple[str, bool]:
        return str(self.settings_dict["NAME"]), self._reads

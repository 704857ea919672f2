"""The writer of a running server, for tests of what it keeps in memory. Make what they need in the database first."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from unittest.mock import Mock

import pytest
from django.db import connection

from paddock_server.process import event_loop
from paddock_server.storage import start_writer, stop_writer
from paddock_server.storage.writer import Writer
from paddock_server.work import dispatcher, open_work


@contextlib.contextmanager
def running_writer(monkeypatch: pytest.MonkeyPatch) -> Iterator[Writer]:
    """Starts it, and ends it. The test's own thread only reads from then on."""
    monkeypatch.setattr(event_loop.server(), "loop", Mock(is_closed=lambda: False))
    monkeypatch.setattr(dispatcher, "MAX_ROUND_INTERVAL_SECONDS", 60.0)  # nothing runs the loop's rounds here
    started = start_writer()
    open_work.begin()
    connection.close()
    try:
        yield started
    finally:
        stop_writer()
        connection.close()

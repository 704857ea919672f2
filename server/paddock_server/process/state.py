"""What one server process keeps in memory: one part of each kind, made when it is first asked for. A test begins with a
state of its own, and has nothing to reset. Connections to the database and the writer, which belong to the file and not
to a moment of the process, are kept in ``storage`` and ``pooled_sqlite``.
"""

from __future__ import annotations

import threading
from typing import Any, TypeVar

Part = TypeVar("Part")


class State:
    """The parts, by their classes. A part is made without arguments."""

    def __init__(self) -> None:
        self._parts: dict[type, Any] = {}
        self._lock = threading.RLock()

    def part(self, kind: type[Part]) -> Part:
        """The one part of this kind. Safe from every thread."""
        found = self._parts.get(kind)
        if found is None:
            with self._lock:
                found = self._parts.setdefault(kind, kind())
        made: Part = found
        return made


class _Process:
    state = State()


def begin(state: State) -> None:
    """Sets the state of the process: called by the server's start and by each test."""
    _Process.state = state


def part(kind: type[Part]) -> Part:
    """The process's part of this kind."""
    return _Process.state.part(kind)

"""Which hosts have changed since the fleet in memory was last brought up to date. The live feed notes them: every
action tells it of what it changes."""

from __future__ import annotations

import threading

_lock = threading.Lock()
_changed: set[str] = set()


def note(name: str) -> None:
    """Safe from every thread."""
    with _lock:
        _changed.add(name)


def take() -> set[str]:
    """All that were noted since it was last asked."""
    with _lock:
        taken = set(_changed)
        _changed.clear()
    return taken

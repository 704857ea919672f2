"""Which hosts have changed since the fleet in memory was last brought up to date."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field

from ..changes import Change
from ..process.state import part
from ..storage import before_commit, on_rollback


@dataclass
class Changed:
    """Names of hosts: those of which anything may have changed, and those of which only the slots at work did."""

    hosts: set[str] = field(default_factory=set)
    slots: set[str] = field(default_factory=set)


def _nothing() -> None:
    """Until ``follow_by`` was called."""


class _Wiring:
    follow: Callable[[], None] = staticmethod(_nothing)


class _Noted:
    """What was noted, and how often a paddock's settings may have changed."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.changed = Changed()
        self.paddocks = 0


def note(name: str) -> None:
    """Safe from every thread."""
    noted = part(_Noted)
    with noted.lock:
        noted.changed.hosts.add(name)


def note_slots(name: str) -> None:
    """Safe from every thread."""
    noted = part(_Noted)
    with noted.lock:
        noted.changed.slots.add(name)


def note_paddocks() -> None:
    """Safe from every thread."""
    noted = part(_Noted)
    with noted.lock:
        noted.paddocks += 1


def follow_by(bring_up_to_date: Callable[[], None]) -> None:
    """Sets the subscriber of the changes; called once, at the start."""
    _Wiring.follow = staticmethod(bring_up_to_date)


def hear(change: Change) -> None:
    """Notes a change of a host or a paddock, to be taken over with its batch before that is committed; and again if it
    is rolled back."""
    if change.noun not in ("host", "paddock"):
        return

    def note_it() -> None:
        if change.noun == "paddock":
            note_paddocks()
        elif change.only_slots:
            note_slots(change.name)
        else:
            note(change.name)
        before_commit(_Wiring.follow)

    note_it()
    on_rollback(note_it)


def paddocks_edition() -> int:
    """Another number whenever a paddock's settings may have changed."""
    return part(_Noted).paddocks


def drain() -> Changed:
    """All that was noted since it was last asked."""
    noted = part(_Noted)
    with noted.lock:
        taken, noted.changed = noted.changed, Changed()
    return taken

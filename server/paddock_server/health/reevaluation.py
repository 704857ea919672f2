"""The hosts whose findings must be evaluated again. Any thread may mark one; the findings loop drains them."""

from __future__ import annotations

import asyncio

from django.db import transaction

from ..changes import Change
from ..process import event_loop
from ..process.state import part


class DirtyHosts:
    """The hosts that have changed, and what else has; ``wanted`` wakes the keeper of findings."""

    def __init__(self) -> None:
        self.hosts: set[str] = set()
        self.everything = True
        self.jobs_ended = True
        self.wanted: asyncio.Event | None = None

    def wake(self) -> None:
        if self.wanted is not None:
            self.wanted.set()


def dirty_hosts() -> DirtyHosts:
    """What the process keeps of it."""
    return part(DirtyHosts)


def mark_dirty(host_name: str) -> None:
    """Marks a changed host for evaluation, after the commit."""

    def do() -> None:
        dirty_hosts().hosts.add(host_name)
        event_loop.post(dirty_hosts().wake)

    transaction.on_commit(do)


def stir_all() -> None:
    """Something has changed that concerns many: a paddock, a pass."""

    def do() -> None:
        dirty_hosts().everything = True
        event_loop.post(dirty_hosts().wake)

    transaction.on_commit(do)


def hear(change: Change) -> None:
    """The findings look at what they depend on."""
    if change.noun not in ("host", "paddock", "pass", "log-in"):
        return
    if change.noun == "host":
        dirty_hosts().hosts.add(change.name)
    elif change.noun == "paddock":
        dirty_hosts().everything = True
    event_loop.post(dirty_hosts().wake)


def note_job_ended(_: object) -> None:
    """An attempt has ended: the proportions of failures are others now."""
    dirty_hosts().jobs_ended = True

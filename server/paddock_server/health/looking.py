"""Which hosts the findings have to look at anew. Any thread may stir one; the keeper of findings takes them."""

from __future__ import annotations

import asyncio

from django.db import transaction

from ..link import running


class _Stirred:
    def __init__(self) -> None:
        self.hosts: set[str] = set()
        self.everything = True
        self.jobs_ended = True
        self.wanted: asyncio.Event | None = None

    def wake(self) -> None:
        if self.wanted is not None:
            self.wanted.set()


stirred = _Stirred()


def stir(host_name: str) -> None:
    """Something about a host has changed: it is looked at anew, once the transaction is through."""

    def do() -> None:
        stirred.hosts.add(host_name)
        running.post(stirred.wake)

    transaction.on_commit(do)


def stir_all() -> None:
    """Something has changed that concerns many: a paddock, a pass."""

    def do() -> None:
        stirred.everything = True
        running.post(stirred.wake)

    transaction.on_commit(do)


def stir_named(noun: str, name: str) -> None:
    """What the browsers are told has changed, the findings look at too."""
    if noun == "host":
        stir(name)
    elif noun == "paddock":
        stir_all()
    else:
        transaction.on_commit(lambda: running.post(stirred.wake))


def note_job_ended() -> None:
    """An attempt has ended: the proportions of failures are others now."""
    stirred.jobs_ended = True

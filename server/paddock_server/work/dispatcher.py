"""The one dispatcher: sleeps until something happens, then runs a round. What it decides comes from the core."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import Callable

from django.db import transaction

from ..changes import Change
from ..process import event_loop
from ..process.meters import DISPATCH_ROUND
from ..process.pulse import Pulse
from ..process.state import part
from ..process.tracing import span
from ..storage import before_commit, run_in_writer

log = logging.getLogger("paddock.dispatcher")

MAX_ROUND_INTERVAL_SECONDS = 0.02
"""Seconds that a round may take in a batch, which others wait for."""


class _Dispatcher:
    def __init__(self) -> None:
        self.wanted: asyncio.Event | None = None
        self.disks_matter = False
        self._timer: asyncio.TimerHandle | None = None
        self.took = 0.0

    def wake_in(self, seconds: float) -> None:
        """Wakes it then. One timer is enough: a round that still waits for something asks again."""
        loop = asyncio.get_running_loop()
        if self._timer is None or self._timer.when() > loop.time() + seconds:
            if self._timer is not None:
                self._timer.cancel()
            self._timer = loop.call_later(seconds, self._ring)

    def _ring(self) -> None:
        self._timer = None
        self.wake()

    def wake(self) -> None:
        if self.wanted is not None:
            self.wanted.set()


def _nothing() -> None:
    """Until ``decides_by`` was called."""


class _Wiring:
    decide: Callable[[], None] = staticmethod(_nothing)


def _dispatcher() -> _Dispatcher:
    return part(_Dispatcher)


def decides_by(run_round: Callable[[], None]) -> None:
    """Sets the function of a round; called once, at the start."""
    _Wiring.decide = staticmethod(run_round)


def wake_after_commit() -> None:
    """Asks for a round: at the end of the batch, so that what it decides is committed with what it is for; or, where
    the last one took long, once the transaction is through. Many wishes make one round."""
    if _dispatcher().took > MAX_ROUND_INTERVAL_SECONDS or not before_commit(_round):
        transaction.on_commit(lambda: event_loop.post(_dispatcher().wake))


def hear(change: Change) -> None:
    """A job that waits may fit after a change of these."""
    if change.noun in ("host", "paddock", "kit", "catalogue") and not change.only_slots:
        wake_after_commit()


def wake_later(seconds: float) -> None:
    """Asks for a round some time after the transaction is through."""
    transaction.on_commit(lambda: event_loop.post(_dispatcher().wake_in, seconds))


def _round() -> None:
    """A round, within an action. One that fails is logged and costs only itself."""
    began = time.monotonic()
    with DISPATCH_ROUND.time(), span("dispatch round"):
        _Wiring.decide()
    _dispatcher().took = time.monotonic() - began
    part(Pulse).note_dispatch(_dispatcher().took)


def disks_matter(do_they: bool) -> None:
    """Whether a job waits that asks for free disk: only then does a disk that has moved ask for a round."""
    _dispatcher().disks_matter = do_they


def note_disk_moved() -> None:
    """Called in the server's loop."""
    if _dispatcher().disks_matter:
        _dispatcher().wake()


async def dispatch_loop() -> None:
    """Runs rounds for ever. A round that fails is logged and costs only itself."""
    wanted = _dispatcher().wanted = asyncio.Event()
    wanted.set()
    while True:
        await wanted.wait()
        wanted.clear()
        try:
            await run_in_writer(_round)
        except Exception:
            log.exception("A dispatch round failed; the next event starts another.")

"""How pieces of logs come in: past the database, many at a time, in threads of their own, so that a flood stalls
no one else."""

from __future__ import annotations

import asyncio
import logging
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import groupby
from pathlib import Path
from typing import NamedTuple

from channels.db import database_sync_to_async

from paddock_agent import wire

from ..changes import Change, changed
from ..hosts.models import Host
from ..process import event_loop
from ..process.state import part
from ..work.actions.record_report import attempt_called
from . import log_store

log = logging.getLogger("paddock.runs")

REPORT_INTERVAL_SECONDS = 0.25
"""Seconds between two notes to browsers that one log has grown."""
MAX_KNOWN = 5000
MAX_PENDING_BYTES = 2 * 1024 * 1024
"""Bytes of one connection that wait to be written, beyond which no more is read from it."""

_writers = ThreadPoolExecutor(4, "log")


class _Place(NamedTuple):
    """Whose log it is, and where."""

    job: int
    file: Path


class _Logs:
    """Where the logs of attempts belong, and the jobs whose browsers need a note."""

    def __init__(self) -> None:
        self.known: OrderedDict[tuple[int, str], _Place | None] = OrderedDict()
        self.due: set[int] = set()


class LogLane:
    """One connection's: what comes while earlier pieces are written is written with the next. ``say`` is given what
    acknowledges the pieces that are written, and None where nothing can be written: the connection is to end."""

    def __init__(self, host_id: int, say: Callable[[wire.Ack | wire.LogAck | None], None]) -> None:
        self._host_id = host_id
        self._say = say
        self._pending: list[wire.LogChunk] = []
        self._size = 0
        self._writing: asyncio.Task[None] | None = None

    async def append(self, message: wire.LogFrame | wire.LogChunk) -> None:
        """Takes pieces. Called in the server's loop."""
        pieces = message.pieces if isinstance(message, wire.LogFrame) else [message]
        self._pending += pieces
        self._size += sum(len(piece.data) for piece in pieces)
        if self._writing is None:
            self._writing = asyncio.create_task(self._write())
        if self._size > MAX_PENDING_BYTES:
            await self.written()

    async def written(self) -> None:
        """Returns when all that was taken is written: what a step says of its end comes after what it printed."""
        while self._writing:
            await asyncio.wait([self._writing])

    async def _write(self) -> None:
        try:
            while self._pending:
                batch, self._pending, self._size = self._pending, [], 0
                for attempt, group in groupby(batch, lambda piece: piece.attempt):
                    await self._append(attempt, list(group))
        except Exception:
            # Nothing of this was acknowledged: the agent sends it again, to a server that can write by then.
            log.exception("The log of an attempt could not be written.")
            self._say(None)
        finally:
            self._writing = None

    async def _append(self, attempt: str, pieces: list[wire.LogChunk]) -> None:
        if place := await _place_of(self._host_id, attempt):
            await asyncio.get_running_loop().run_in_executor(_writers, log_store.append, place.file, pieces)
            _tell(place.job)
        last = pieces[-1]
        if last.seq:
            self._say(wire.Ack(seq=last.seq))
        else:
            self._say(wire.LogAck(attempt=attempt, size=last.offset + len(last.data)))


async def _place_of(host_id: int, attempt: str) -> _Place | None:
    """Where the log of an attempt belongs; None for one that is not this host's."""
    key, known = (host_id, attempt), part(_Logs).known
    if key not in known:
        known[key] = await database_sync_to_async(_looked_up)(host_id, attempt)
        while len(known) > MAX_KNOWN:
            known.popitem(last=False)
    return known[key]


def _looked_up(host_id: int, name: str) -> _Place | None:
    attempt = attempt_called(Host.objects.get(pk=host_id), name)
    return _Place(attempt.job_id, attempt.log_file) if attempt else None


def _tell(job: int) -> None:
    """Tells browsers soon, and once for all that comes until then."""
    if job not in part(_Logs).due:
        part(_Logs).due.add(job)
        event_loop.post_later(REPORT_INTERVAL_SECONDS, _announce, job)


def _announce(job: int) -> None:
    part(_Logs).due.discard(job)
    changed.send(Change("log", str(job)))

"""How pieces of logs come in: past the database, in threads of their own, so that a flood stalls nobody."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor

from channels.db import database_sync_to_async

from paddock_agent import wire

from ..hosts.models import Host
from ..link import feed, running
from ..work.actions.take_report import attempt_called
from . import logs

TELL_EVERY = 0.25
"""Seconds between two notes to browsers that one log has grown."""
MOST_KNOWN = 5000

_writers = ThreadPoolExecutor(4, "log")
_known: OrderedDict[tuple[int, str], tuple[int, int] | None] = OrderedDict()
_due: set[int] = set()


async def take_chunk(host_id: int, chunk: wire.LogChunk) -> None:
    """Takes in a piece; one of an attempt that is not this host's is passed over. Called in the server's loop."""
    key = host_id, chunk.attempt
    if key not in _known:
        _known[key] = await database_sync_to_async(_numbers)(host_id, chunk.attempt)
        while len(_known) > MOST_KNOWN:
            _known.popitem(last=False)
    if numbers := _known[key]:
        job, number = numbers
        loop = asyncio.get_running_loop()
        await loop.run_in_executor(_writers, logs.append, job, number, chunk.offset, chunk.data, chunk.at, chunk.step)
        _tell(job)


def _numbers(host_id: int, name: str) -> tuple[int, int] | None:
    attempt = attempt_called(Host.objects.get(pk=host_id), name)
    return (attempt.job_id, attempt.number) if attempt else None


def _tell(job: int) -> None:
    """Tells browsers soon, and once for all that comes until then."""
    if job not in _due:
        _due.add(job)
        running.post_later(TELL_EVERY, _told, job)


def _told(job: int) -> None:
    _due.discard(job)
    feed.tell_now("log", job)

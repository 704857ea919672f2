"""Keeps what runs leave on the server small: packs logs of runs that are over, removes what is kept no longer."""

from __future__ import annotations

import asyncio
import logging
import time
from datetime import datetime, timedelta

from channels.db import database_sync_to_async
from django.utils import timezone

from ..work.models import Attempt
from . import log_store
from .actions.remove_old import note_removed, old_runs, remove_files

EVERY, REMOVE_EVERY = 60.0, 3600.0
PACKED_AFTER = timedelta(minutes=10)
"""Until then people follow a log to its end, and an agent that was away may have more of it."""
AT_A_TIME = 200
log = logging.getLogger("paddock.runs")


async def keep_tidy() -> None:
    """For ever. After much at once it goes on without a rest."""
    removed_at = -REMOVE_EVERY
    while True:
        await asyncio.sleep(EVERY)
        try:
            while await pack_ended(timezone.now()):
                pass
            if time.monotonic() - removed_at >= REMOVE_EVERY:
                while await remove_old(timezone.now()):
                    pass
                removed_at = time.monotonic()
        except Exception:
            log.exception("What old runs left could not be tidied up; it is tried again.")


async def pack_ended(now: datetime) -> int:
    """Packs the logs of attempts that are over, at most AT_A_TIME; returns how many."""
    attempts = await database_sync_to_async(_to_pack)(now)
    for attempt in attempts:
        try:
            await asyncio.to_thread(log_store.pack, attempt.job_id, attempt.number)
        except OSError as error:
            log.warning("The log of attempt %s stays unpacked: %s", attempt.wire_name, error)
    await database_sync_to_async(_note_packed)(attempts, now)
    return len(attempts)


def _to_pack(now: datetime) -> list[Attempt]:
    ended = Attempt.objects.filter(packed_at=None, ended_at__lt=now - PACKED_AFTER)
    return list(ended.only("job_id", "number").order_by("ended_at")[:AT_A_TIME])


def _note_packed(attempts: list[Attempt], now: datetime) -> None:
    Attempt.objects.filter(pk__in=[one.pk for one in attempts]).update(packed_at=now)


async def remove_old(now: datetime) -> int:
    """Removes what is kept no longer, some of each paddock's; returns of how many attempts."""
    found = await database_sync_to_async(old_runs)(now)
    for paddock, attempts in found:
        await asyncio.to_thread(remove_files, attempts)
        await database_sync_to_async(note_removed)(paddock, attempts, now)
    return sum(len(attempts) for _, attempts in found)

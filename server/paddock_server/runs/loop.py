"""Keeps what runs leave on the server small: packs logs of runs that are over, removes what is kept no longer."""

from __future__ import annotations

import asyncio
import logging
import time
from datetime import datetime

from channels.db import database_sync_to_async
from django.utils import timezone

from ..storage import run_in_writer
from . import log_store
from .actions.pack_logs import logs_to_pack, note_packed
from .actions.remove_old import note_removed, old_runs, remove_files

PACK_INTERVAL_SECONDS, REMOVE_INTERVAL_SECONDS = 60.0, 3600.0
log = logging.getLogger("paddock.runs")


async def retention_loop() -> None:
    """For ever. After much at once it goes on without a rest."""
    removed_at = -REMOVE_INTERVAL_SECONDS
    while True:
        await asyncio.sleep(PACK_INTERVAL_SECONDS)
        try:
            while await pack_ended(timezone.now()):
                pass
            if time.monotonic() - removed_at >= REMOVE_INTERVAL_SECONDS:
                while await remove_old(timezone.now()):
                    pass
                removed_at = time.monotonic()
        except Exception:
            log.exception("What old runs left could not be tidied up; it is tried again.")


async def pack_ended(now: datetime) -> int:
    """Packs some of the logs of attempts that are over; returns how many."""
    attempts = await database_sync_to_async(logs_to_pack)(now)
    for attempt in attempts:
        try:
            await asyncio.to_thread(log_store.pack, attempt.log_file)
        except OSError as error:
            log.warning("The log of attempt %s stays unpacked: %s", attempt.wire_name, error)
    await run_in_writer(note_packed, attempts, now)
    return len(attempts)


async def remove_old(now: datetime) -> int:
    """Removes what is kept no longer, some of each paddock's; returns of how many attempts."""
    found = await database_sync_to_async(old_runs)(now)
    for paddock, attempts in found:
        await asyncio.to_thread(remove_files, attempts)
        await run_in_writer(note_removed, paddock, attempts, now)
    return sum(len(attempts) for _, attempts in found)

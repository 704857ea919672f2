"""Packs the logs of runs that are over."""

from __future__ import annotations

import asyncio
import logging
from datetime import datetime

from channels.db import database_sync_to_async
from django.utils import timezone

from ..storage import run_in_writer
from . import log_store
from .actions.pack_logs import logs_to_pack, note_packed

PACK_INTERVAL_SECONDS = 60.0
log = logging.getLogger("paddock.runs")


async def packing_loop() -> None:
    """For ever. After much at once it goes on without a rest."""
    while True:
        await asyncio.sleep(PACK_INTERVAL_SECONDS)
        try:
            while await pack_ended(timezone.now()):
                pass
        except Exception:
            log.exception("Logs of ended runs could not be packed; the server tries again.")


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

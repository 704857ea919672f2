"""What runs beside the link for the hosts' health: the keeper of readings and the keeper of findings."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import time

from channels.db import database_sync_to_async
from django.conf import settings

from ..process import vitals
from ..process.meters import FINDINGS_LOOK
from ..storage import run_in_writer
from . import watches
from .actions.save_findings import save_findings
from .actions.save_readings import hosts_due, save_readings, thin
from .observed_fleet import SeenFleet
from .reevaluation import dirty_hosts

log = logging.getLogger("paddock.health")

READINGS_INTERVAL_SECONDS = 60.0
LEAST_REST, REST = 0.2, 4.0
"""Seconds between two looks at least, and how many times as long as a look took: looking costs a fifth at most, however
much happens."""


async def readings_loop() -> None:
    """Writes readings once a minute, for ever, and thins the hosts whose minute it is."""
    while True:
        try:
            # At the turn of the minute: what is read within one is one row.
            await asyncio.sleep(READINGS_INTERVAL_SECONDS - time.time() % READINGS_INTERVAL_SECONDS + 0.5)
        finally:  # also when the server stops: nothing that was read is lost
            await write_readings()
        try:
            await database_sync_to_async(_thin)(time.time())
        except Exception:
            log.exception("Readings could not be thinned; it is tried again in an hour.")


async def write_readings() -> None:
    """Writes what was read since the last time."""
    try:
        await run_in_writer(save_readings, vitals.unwritten(), watches.unwritten())
    except Exception:
        log.exception("Readings could not be written; those of one minute are lost.")


def _thin(now: float) -> None:
    thin(hosts_due(now), now)


async def findings_loop() -> None:
    """Looks for findings whenever something happens, and every few seconds, for ever."""
    wanted = dirty_hosts().wanted = asyncio.Event()
    wanted.set()
    seen = SeenFleet()
    while True:
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(settings.FINDINGS_SECONDS):
                await wanted.wait()
        wanted.clear()
        began = time.monotonic()
        try:
            await database_sync_to_async(look)(seen)
        except Exception:
            log.exception("Evaluating the findings failed. The server tries again.")
            dirty_hosts().everything = True
        await asyncio.sleep(max(LEAST_REST, REST * (time.monotonic() - began)))


def look(seen: SeenFleet) -> None:
    """One look at the fleet."""
    with FINDINGS_LOOK.time():
        save_findings(seen.look(time.time()))

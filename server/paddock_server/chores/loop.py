"""Keeps rolling chores rolling: looks once a second while there are any."""

from __future__ import annotations

import asyncio
import logging

from channels.db import database_sync_to_async

from .actions.roll_on import roll_on
from .models import ChoreRun

INTERVAL_SECONDS = 1.0
log = logging.getLogger("paddock.chores")


async def chore_loop() -> None:
    """For ever. A run that fails to move is tried again."""
    while True:
        await asyncio.sleep(INTERVAL_SECONDS)
        await database_sync_to_async(roll_all)()


def roll_all() -> None:
    """Moves every rolling run on."""
    for run in ChoreRun.objects.filter(state="rolling").select_related("chore"):
        try:
            roll_on(run)
        except Exception:
            log.exception("The run %s of a chore could not be moved on.", run.pk)

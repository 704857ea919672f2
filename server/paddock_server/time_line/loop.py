"""Marks the time line while the server runs."""

from __future__ import annotations

import asyncio
import logging

from ..storage import run_in_writer
from .actions.mark import mark
from .identity import current_time_line

MARK_INTERVAL = 60.0
log = logging.getLogger("paddock.time_line")


async def time_line_loop() -> None:
    """Once a minute, for ever, and once when the server stops: so an older backup can be recognised."""
    while True:
        try:
            await asyncio.sleep(MARK_INTERVAL)
        finally:
            await _mark()


async def _mark() -> None:
    try:
        await run_in_writer(_mark_current)
    except Exception:
        log.exception("The time line could not be marked; it is tried again in a minute.")


def _mark_current() -> None:
    if line := current_time_line():
        mark(line)

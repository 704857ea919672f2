"""Removes expired records hourly, in small steps with rests, so that others can write in between."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from channels.db import database_sync_to_async
from django.utils import timezone

from paddock_core.retention import RecordKind, RetentionRule

from ..housekeeping.rules import retention_rules
from ..runs.removal import remove_files
from ..storage import run_in_writer
from ..work.models import Attempt
from .actions.remove_expired import remove_expired
from .expired import expired

REMOVE_INTERVAL_SECONDS = 3600.0
FIRST_SECONDS = 60.0
REST = 4.0
"""How many times as long as a step took the rest after it is."""
AT_A_TIME = {RecordKind.FILES: 200, RecordKind.JOBS: 100}
OTHERS_AT_A_TIME = 500
log = logging.getLogger("paddock.retention")


async def expiry_loop() -> None:
    """For ever."""
    await asyncio.sleep(FIRST_SECONDS)
    while True:
        try:
            await remove_all_expired(timezone.now())
        except Exception:
            log.exception("Expired records could not be removed; the server tries again in an hour.")
        await asyncio.sleep(REMOVE_INTERVAL_SECONDS)


async def remove_all_expired(now: datetime, rest: float = REST) -> int:
    """Returns how many records it removed."""
    removed = 0
    while True:
        began = time.monotonic()
        step = await database_sync_to_async(next_step)(now)
        if step is None:
            return removed
        rule, records = step
        # Files first: a record without its files is found again, files without a record are not.
        await asyncio.to_thread(_remove_files, rule, records)
        await run_in_writer(remove_expired, rule, [one.pk for one in records], now)
        removed += len(records)
        await asyncio.sleep(rest * (time.monotonic() - began))


def next_step(now: datetime) -> tuple[RetentionRule, Sequence[Any]] | None:
    """The next records to remove, by one rule; None if all is done. The rules are read for each step: a change of them
    counts at once."""
    for rule, records in expired(retention_rules(), now):
        if rule.kind is RecordKind.FILES:
            records = records.select_related("job")
        if rule.kind is RecordKind.JOBS:
            records = records.prefetch_related("attempts__job")
        if found := list(records[: AT_A_TIME.get(rule.kind, OTHERS_AT_A_TIME)]):
            return rule, found
    return None


def _remove_files(rule: RetentionRule, records: Sequence[Any]) -> None:
    if rule.kind is RecordKind.FILES:
        remove_files(records)
    elif rule.kind is RecordKind.JOBS:
        attempts: list[Attempt] = [attempt for job in records for attempt in job.attempts.all()]
        remove_files(attempts)

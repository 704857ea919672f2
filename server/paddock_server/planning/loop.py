"""Files the past by day, asks for the outlook once a day, and runs rehearsals, one at a time, each in a process of its
own."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import pickle
import sys
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from channels.db import database_sync_to_async
from django.utils import timezone

from paddock_core.errors import CoreError

from ..process.state import part
from .actions.file_days import days_to_file, file_day
from .actions.run_rehearsal import (
    ask_outlook,
    begin_rehearsal,
    fail_rehearsal,
    finish_rehearsal,
    note_progress,
    restart_rehearsals,
)
from .asking import question_of
from .models import PastDay, Rehearsal, RehearsalState
from .outlook import outlook_fields

INTERVAL_SECONDS = 2.0
FILING_INTERVAL = timedelta(minutes=10)
OUTLOOK_INTERVAL = timedelta(hours=24)
MAX_SECONDS = 3600.0
MAX_LINE_BYTES = 32 * 1024 * 1024
log = logging.getLogger("paddock.planning")


async def planning_loop() -> None:
    """For ever."""
    filed_at = None
    is_restarted = False
    while True:
        await asyncio.sleep(INTERVAL_SECONDS)
        try:
            if not is_restarted:
                await database_sync_to_async(restart_rehearsals)()
                is_restarted = True
            now = timezone.now()
            if filed_at is None or now - filed_at > FILING_INTERVAL:
                filed_at = now
                for day in await database_sync_to_async(days_to_file)():
                    await database_sync_to_async(file_day)(day)
            await database_sync_to_async(_want_outlook)()
            waiting = await database_sync_to_async(_next)()
            if waiting is not None:
                await run(waiting)
        except Exception:
            log.exception("Planning could not go on. The server tries again.")


def _next() -> Rehearsal | None:
    waiting = Rehearsal.objects.filter(state=RehearsalState.WAITING.value)
    # What a person waits for goes first.
    return waiting.order_by("is_outlook", "id").first()


@dataclass
class _Looked:
    """When the server last looked whether an outlook is worth asking for, and how many days were filed then."""

    days: int = -1
    at: datetime | None = None


def _want_outlook() -> None:
    newest = Rehearsal.objects.filter(is_outlook=True).first()
    if newest is not None and timezone.now() - newest.asked_at < OUTLOOK_INTERVAL:
        return
    # Kinds of work are counted over all of the past: not every two seconds.
    looked, days = part(_Looked), PastDay.objects.count()
    if looked.days == days and looked.at is not None and timezone.now() - looked.at < FILING_INTERVAL:
        return
    looked.days, looked.at = days, timezone.now()
    fields = outlook_fields()
    if fields is not None:
        ask_outlook(fields)


async def run(rehearsal: Rehearsal) -> None:
    """From the question to its answer. It ends early when it is cancelled, and with the server."""
    try:
        question, open_points, digest = await database_sync_to_async(question_of)(rehearsal)
    except CoreError as error:
        await database_sync_to_async(fail_rehearsal)(rehearsal, str(error))
        return
    await database_sync_to_async(begin_rehearsal)(rehearsal, digest)
    process = await asyncio.create_subprocess_exec(
        sys.executable, "-m", "paddock_server.planning.worker", limit=MAX_LINE_BYTES,
        stdin=asyncio.subprocess.PIPE, stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.PIPE,
        env={name: value for name, value in os.environ.items() if name in ("PATH", "PYTHONPATH", "LANG", "TZ")},
    )  # fmt: skip
    assert process.stderr
    # Read all along: a process whose errors nobody reads stops when the pipe is full.
    errors = asyncio.create_task(process.stderr.read())
    try:
        async with asyncio.timeout(MAX_SECONDS):
            last = await _follow(rehearsal, process, pickle.dumps(question))
    except TimeoutError:
        last = {"failed": f"It took more than {MAX_SECONDS / 60:.0f} minutes. Choose a shorter time."}
    finally:
        with contextlib.suppress(ProcessLookupError):
            process.kill()
        words = (await errors).decode(errors="replace")
        await process.wait()
    if "result" in last:
        try:
            await database_sync_to_async(finish_rehearsal)(rehearsal, {**last["result"], **open_points})
        except Exception:
            # It must not seem to run for ever.
            await database_sync_to_async(fail_rehearsal)(
                rehearsal, "Its answer could not be saved. See the server's log."
            )
            raise
    elif "cancelled" not in last:
        if words:
            log.error("Rehearsal %s failed: %s", rehearsal.pk, words[-2000:])
        ended = "Its process ended without an answer. The server's log says more."
        await database_sync_to_async(fail_rehearsal)(rehearsal, str(last.get("failed") or ended))


async def _follow(rehearsal: Rehearsal, process: asyncio.subprocess.Process, question: bytes) -> dict[str, Any]:
    """The last thing that the process says."""
    assert process.stdin and process.stdout
    sending = asyncio.create_task(_send(process.stdin, question))
    said: dict[str, Any] = {}
    try:
        async for line in process.stdout:
            said = json.loads(line)
            if "progress" in said and not await database_sync_to_async(note_progress)(rehearsal, said["progress"]):
                return {"cancelled": True}
            if "result" in said or "failed" in said:
                break
    finally:
        sending.cancel()
    return said


async def _send(pipe: asyncio.StreamWriter, data: bytes) -> None:
    with contextlib.suppress(ConnectionError):
        pipe.write(data)
        await pipe.drain()
        pipe.close()

"""Backups by their schedule, and samples of the storage."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from datetime import datetime, timedelta
from pathlib import Path

from channels.db import database_sync_to_async
from django.conf import settings
from django.utils import timezone

from ..backup.make import MANIFEST, BackupFailed, make_backup
from ..process.state import part
from ..storage import run_in_writer
from .actions.note_backup import note_backup
from .actions.note_storage import note_storage
from .models import BackupRun, StorageSample
from .running import RunningBackup
from .schedule import BackupSchedule, backup_schedule, next_backup
from .storage_use import measured

CHECK_INTERVAL = 30.0
SAMPLE_INTERVAL = timedelta(hours=1)
log = logging.getLogger("paddock.housekeeping")


async def backup_loop() -> None:
    """Makes a backup whenever one is due or asked for, for ever."""
    running = part(RunningBackup)
    while True:
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(CHECK_INTERVAL):
                await running.wanted.wait()
        running.wanted.clear()
        try:
            schedule, now = backup_schedule(), timezone.now()
            if schedule and (running.asked_by or now >= await database_sync_to_async(next_backup)(schedule, now)):
                await back_up(schedule, running)
        except Exception:
            log.exception("The backup could not be noted; the server tries again.")


async def back_up(schedule: BackupSchedule, running: RunningBackup) -> BackupRun:
    """Makes one, and notes how it went."""
    asked_by, running.asked_by, running.began_at = running.asked_by or "", None, timezone.now()
    try:
        run = await asyncio.to_thread(_made, schedule, running.began_at, asked_by)
        await run_in_writer(note_backup, run, timezone.now())
    finally:
        running.began_at = None
    return run


def _made(schedule: BackupSchedule, now: datetime, asked_by: str) -> BackupRun:
    run = BackupRun(began_at=now, asked_by=asked_by, has_keys=schedule.passphrase_file is not None)
    try:
        made = make_backup(
            Path(settings.DATA), schedule.folder, passphrase=_passphrase(schedule.passphrase_file), keep=schedule.keep
        )
        files = json.loads((made / MANIFEST).read_bytes())["files"]
        run.folder, run.size, run.files = str(made)[:1000], sum(one["size"] for one in files), len(files)
    except BackupFailed as error:
        run.trouble = str(error)[:1000]
        log.error("The backup failed: %s", error)
    return run


def _passphrase(file: Path | None) -> str:
    if file is None:
        return ""
    try:
        found = file.read_text(encoding="utf-8").strip()
    except (OSError, UnicodeDecodeError) as error:
        raise BackupFailed(f"The passphrase cannot be read from {file}: {error}.") from None
    if not found:
        raise BackupFailed(f"{file}, the file of the passphrase, is empty.")
    return found


async def storage_loop() -> None:
    """Samples the storage every hour, for ever; for the first time when the server has run for a while."""
    while True:
        await asyncio.sleep(CHECK_INTERVAL)
        try:
            now = timezone.now()
            if await database_sync_to_async(_is_sample_due)(now):
                use = await asyncio.to_thread(measured, settings.DATA, settings.LOGS, settings.OUTPUTS)
                await run_in_writer(note_storage, use, now)
        except Exception:
            log.exception("The storage could not be measured; the server tries again.")


def _is_sample_due(now: datetime) -> bool:
    return not StorageSample.objects.filter(at__gt=now - SAMPLE_INTERVAL, at__lte=now).exists()

"""Backups by the schedule of the settings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from ..settings_file import value_of
from .models import BackupRun

RETRY = timedelta(hours=1)
CLOCK_SLACK = timedelta(minutes=5)


@dataclass(frozen=True)
class BackupSchedule:
    """``keep`` backups stay in ``folder``. Without a ``passphrase_file`` the keys are left out."""

    folder: Path
    interval: timedelta
    keep: int
    passphrase_file: Path | None


def backup_schedule() -> BackupSchedule | None:
    """As the settings have it; None without a folder."""
    folder, passphrase = value_of("backup_folder"), value_of("backup_passphrase_file")
    if not folder:
        return None
    interval = timedelta(hours=float(value_of("backup_hours")))
    keep = int(float(value_of("backup_keep")))
    return BackupSchedule(Path(folder), interval, keep, Path(passphrase) if passphrase else None)


def next_backup(schedule: BackupSchedule, now: datetime) -> datetime:
    """When the next one is due: soon after a failure. A last one in the future, which a clock that was set back makes,
    does not count."""
    last = BackupRun.objects.filter(began_at__lte=now + CLOCK_SLACK).first()
    if last is None:
        return now
    return last.began_at + (min(RETRY, schedule.interval) if last.trouble else schedule.interval)

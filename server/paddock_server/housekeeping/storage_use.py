"""How much the data folder holds, and how it grows."""

from __future__ import annotations

import os
import shutil
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from paddock_core.trend import LOOK_BACK, Trend, falling

from .models import StorageSample


@dataclass(frozen=True)
class StorageUse:
    """Bytes of the parts of the data folder, and of its disk."""

    database: int
    logs: int
    outputs: int
    free: int
    total: int


def measured(data: Path, logs: Path, outputs: Path) -> StorageUse:
    """Looks at every file: some milliseconds for a thousand."""
    disk = shutil.disk_usage(data)
    database = sum(_size(file) for file in data.glob("paddock.sqlite3*"))
    return StorageUse(database, _folder_size(logs), _folder_size(outputs), disk.free, disk.total)


def _folder_size(folder: Path) -> int:
    return sum(_size(Path(place) / name) for place, _, names in os.walk(folder) for name in names)


def _size(file: Path) -> int:
    try:
        return file.stat().st_blocks * 512  # what it takes on the disk, which is what runs out
    except OSError:
        return 0


def disk_trend(now: datetime) -> Trend | None:
    """The trend of what the disk has free; None where it does not surely fall."""
    recent = StorageSample.objects.filter(at__lte=now, at__gte=now - timedelta(seconds=LOOK_BACK))
    samples = list(recent.values_list("at", "free"))
    return falling([at.timestamp() for at, _ in samples], [float(free) for _, free in samples])

"""Notes a sample of the storage."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime, timedelta

from ...storage import action
from ..models import StorageSample
from ..storage_use import StorageUse

HOURLY, MAX_AGE = timedelta(days=21), timedelta(days=3 * 365)


@action
def note_storage(use: StorageUse, now: datetime) -> None:
    """Called by the server every hour. Before the last HOURLY, one sample per day remains."""
    StorageSample.objects.create(at=now, **asdict(use))
    StorageSample.objects.filter(at__lt=now - MAX_AGE).delete()
    day = now - HOURLY - timedelta(hours=now.hour, minutes=now.minute)
    of_day = StorageSample.objects.filter(at__gte=day, at__lt=day + timedelta(days=1)).values_list("pk", flat=True)
    StorageSample.objects.filter(pk__in=list(of_day)[1:]).delete()

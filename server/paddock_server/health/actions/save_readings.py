"""Writes readings down in batches, thins the old ones, and draws the trend of each host's disk."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from datetime import UTC, datetime, timedelta

import numpy as np

from paddock_core import trend
from paddock_core.vitals import (
    BY_HOUR_FOR,
    BY_MINUTE_FOR,
    FULL_FOR,
    HOUR,
    MINUTE,
    NAMES,
    WIDTH,
    by_minute,
    packed,
    summary,
    unpacked,
)

from ...hosts.models import Host
from ...storage import action
from .. import reevaluation
from ..models import FreshReadings, Health, HourOfReadings

DISK = NAMES.index("disk_free")
BATCH = 500


@action
def save_readings(
    read: Mapping[int, Sequence[tuple[float, tuple[float, ...]]]], heard: Mapping[int, float] | None = None
) -> int:
    """Writes what was read, by host: one row for each host and minute; and that the watches of ``heard`` were heard.
    Returns the number of rows."""
    if heard:
        Health.objects.filter(host__in=heard).update(reported_at=_time(max(heard.values())))
    known = set(Host.objects.filter(pk__in=read).values_list("pk", flat=True)) if read else set()
    rows = []
    for host, several in read.items():
        if host not in known:
            continue
        minutes: dict[float, list[tuple[float, ...]]] = defaultdict(list)
        for at, row in several:
            minutes[at // MINUTE * MINUTE].append((at % MINUTE, *row))
        rows += [FreshReadings(host_id=host, at=_time(at), data=packed(np.array(m))) for at, m in minutes.items()]
    FreshReadings.objects.bulk_create(rows, batch_size=BATCH)
    return len(rows)


def hosts_due(now: float) -> list[int]:
    """The hosts that are thinned in this minute: each has one minute of the hour, so that the work is spread."""
    minute = int(now // MINUTE) % (HOUR // MINUTE)
    return [pk for pk in Host.objects.values_list("pk", flat=True) if pk % (HOUR // MINUTE) == minute]


@action
def thin(hosts: Collection[int], now: float) -> None:
    """Packs complete hours, removes old readings, and computes the trends again."""
    fresh: dict[int, dict[float, list[np.ndarray]]] = defaultdict(lambda: defaultdict(list))
    this_hour = _time(now // HOUR * HOUR)
    whole = FreshReadings.objects.filter(host__in=hosts, at__lt=this_hour).order_by("at")
    for host, at, data in whole.values_list("host", "at", "data"):
        start = at.timestamp() // HOUR * HOUR
        rows = unpacked(bytes(data), -1, WIDTH + 1)
        rows[:, 0] += at.timestamp()
        fresh[host][start].append(rows)
    for host, hours in fresh.items():
        for start, parts in hours.items():
            rows = np.concatenate(parts)
            minutes = by_minute(rows[:, 0].tolist(), rows[:, 1:], start)
            HourOfReadings.objects.update_or_create(
                host_id=host,
                at=_time(start),
                defaults={"minutes": packed(minutes), "summary": packed(summary(minutes))},
            )
    # What is summed up stays in full for its hour.
    FreshReadings.objects.filter(host__in=hosts, at__lt=_time(now - FULL_FOR), at__lte=this_hour).delete()
    old = HourOfReadings.objects.filter(host__in=hosts)
    old.filter(at__lt=_time(now - BY_MINUTE_FOR), minutes__isnull=False).update(minutes=None)
    old.filter(at__lt=_time(now - BY_HOUR_FOR)).delete()
    for host in hosts:
        draw_trend(host, now)


@action
def draw_trend(host_id: int, now: float) -> None:
    """The trend of the host's free disk over the last weeks, from its hours."""
    since = _time(now) - timedelta(seconds=trend.LOOK_BACK)
    hours = list(HourOfReadings.objects.filter(host=host_id, at__gte=since).order_by("at").values_list("at", "summary"))
    values = [float(unpacked(bytes(data), WIDTH, 3)[DISK, 1]) for _, data in hours]
    found = trend.falling([at.timestamp() + HOUR / 2 for at, _ in hours], values)
    health, _ = Health.objects.get_or_create(host_id=host_id)
    drawn = asdict(found) if found else None
    if drawn != health.disk_trend:
        health.disk_trend = drawn
        health.save(update_fields=["disk_trend"])
        reevaluation.mark_dirty(health.host.name)


def _time(seconds: float) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)

"""Starts maintenance windows on time, and resumes hosts whose hold has ended."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Iterator
from datetime import datetime, timedelta

from channels.db import database_sync_to_async
from django.utils import timezone

from paddock_core.recurrence import HORIZON

from ..changes import announce
from ..errors import ActionError
from ..hosts.actions.hold import drain, hold, resume
from ..hosts.models import Host
from ..people.actor import SERVER
from ..storage import action, savepoint
from .actions.extend_times import extend_times
from .models import MaintenanceTime, MaintenanceWindow
from .times import times_between

INTERVAL_SECONDS = 5.0
log = logging.getLogger("paddock.maintenance")


async def maintenance_loop() -> None:
    """For ever."""
    while True:
        await asyncio.sleep(INTERVAL_SECONDS)
        try:
            await database_sync_to_async(look)()
        except Exception:
            log.exception("Maintenance windows could not be checked. The server tries again.")


def look() -> None:
    """Once over all holds that end and all plans. One that fails is logged, and costs only itself."""
    now = timezone.now()
    for host in Host.objects.select_related("paddock").exclude(holding="").filter(hold_until__lte=now):
        with _costs_only_itself(f"the hold of {host.name}"):
            resume(SERVER, host)
    _note_over(now)
    for window in MaintenanceWindow.objects.select_related("paddock", "host__paddock"):
        with _costs_only_itself(f"the plan {window.pk} ({window.what})"):
            if window.rule and (window.ahead_until is None or window.ahead_until - now < HORIZON / 2):
                extend_times(window, now)
            for starts, ends in times_between(window, now, now + timedelta(seconds=1)):
                _begin(window, starts, ends)


@contextlib.contextmanager
def _costs_only_itself(what: str) -> Iterator[None]:
    try:
        yield
    except Exception:
        log.exception("%s could not be checked. The server tries again.", what[:200])


@action
def _note_over(now: datetime) -> None:
    MaintenanceTime.objects.filter(ends_at__lte=now, over_at=None).update(over_at=now)


@action
def _begin(window: MaintenanceWindow, starts: datetime, ends: datetime) -> None:
    time, is_new = MaintenanceTime.objects.get_or_create(window=window, starts_at=starts, defaults={"ends_at": ends})
    hosts = (
        [window.host] if window.host else list(Host.objects.select_related("paddock").filter(paddock=window.paddock))
    )
    new = []
    for host in hosts:
        if host.pk in time.held or host.holding or host.standing != Host.Standing.ADMITTED:
            continue
        do = hold if window.how == "hold" else drain
        try:
            with savepoint():
                do(SERVER, host, f"maintenance: {window.what}", until=time.ends_at)
        except ActionError as error:
            log.warning("%s could not be held for %s: %s", host.name, window.what, error)
            continue
        new.append(host.pk)
    if new:
        time.held = [*time.held, *new]
        time.save(update_fields=["held"])
    if new or is_new:
        announce("maintenance window", window.pk)

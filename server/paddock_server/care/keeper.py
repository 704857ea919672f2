"""Begins planned care when its time has come, and resumes what was held until a time that is over."""

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
from .actions.note_ahead import note_ahead
from .models import Care, CareTime
from .times import times_between

EVERY = 5.0
log = logging.getLogger("paddock.care")


async def keep_caring() -> None:
    """For ever."""
    while True:
        await asyncio.sleep(EVERY)
        try:
            await database_sync_to_async(look)()
        except Exception:
            log.exception("Planned care could not be looked at; it is tried again.")


def look() -> None:
    """Once over all holds that end and all plans. One that fails is logged, and costs only itself."""
    now = timezone.now()
    for host in Host.objects.select_related("paddock").exclude(holding="").filter(hold_until__lte=now):
        with _costs_only_itself(f"the hold of {host.name}"):
            resume(SERVER, host)
    _note_over(now)
    for care in Care.objects.select_related("paddock", "host__paddock"):
        with _costs_only_itself(f"the plan {care.pk} ({care.what})"):
            if care.rule and (care.ahead_until is None or care.ahead_until - now < HORIZON / 2):
                note_ahead(care, now)
            for starts, ends in times_between(care, now, now + timedelta(seconds=1)):
                _care_for(care, starts, ends)


@contextlib.contextmanager
def _costs_only_itself(what: str) -> Iterator[None]:
    try:
        yield
    except Exception:
        log.exception("%s could not be looked at; it is tried again.", what[:200])


@action
def _note_over(now: datetime) -> None:
    CareTime.objects.filter(ends_at__lte=now, over_at=None).update(over_at=now)


@action
def _care_for(care: Care, starts: datetime, ends: datetime) -> None:
    time, is_new = CareTime.objects.get_or_create(care=care, starts_at=starts, defaults={"ends_at": ends})
    hosts = [care.host] if care.host else list(Host.objects.select_related("paddock").filter(paddock=care.paddock))
    new = []
    for host in hosts:
        if host.pk in time.held or host.holding or host.standing != Host.Standing.ADMITTED:
            continue
        do = hold if care.how == "hold" else drain
        try:
            with savepoint():
                do(SERVER, host, f"planned care: {care.what}", until=time.ends_at)
        except ActionError as error:
            log.warning("%s could not be held for %s: %s", host.name, care.what, error)
            continue
        new.append(host.pk)
    if new:
        time.held = [*time.held, *new]
        time.save(update_fields=["held"])
    if new or is_new:
        announce("care", care.pk)

"""Reads now and then what hosts draw, from those of their controllers that measure it."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from channels.db import database_sync_to_async
from django.db.models import Q
from django.utils import timezone

from paddock_core.standby.power import Power

from ..hosts.actions.hold import is_working
from ..hosts.models import Host
from ..storage import run_in_writer
from .actions.controller import note_controller_refused, note_measured
from .models import PowerSettings
from .targets import controller_of
from .ways.controller_client import ControllerRefused, ControllerTrouble
from .ways.port import Controller
from .ways.redfish import OFF, ON, reading

LOOK_INTERVAL = 30.0
MEASURE_EVERY = timedelta(hours=1)
_FIELDS = {Power.ON.value: (ON, "measured_watts"), Power.ASLEEP.value: (OFF, "measured_watts_asleep")}
log = logging.getLogger("paddock.standby")


@dataclass(frozen=True)
class Due:
    """A host to measure. Its controller has to say ``state``; what it draws then is kept in ``field``."""

    host: Host
    controller: Controller
    state: str
    field: str


async def measuring_loop() -> None:
    """For ever."""
    while True:
        await asyncio.sleep(LOOK_INTERVAL)
        try:
            for due in await database_sync_to_async(measures_due)(timezone.now()):
                values, refused = await asyncio.to_thread(measured, due)
                await run_in_writer(note_measured, due.host, values)
                if refused:
                    await run_in_writer(note_controller_refused, due.host, refused)
        except Exception:
            log.exception("What hosts draw could not be measured.")


def measures_due(now: datetime) -> list[Due]:
    """Hosts that are idle or asleep, and were not measured for an hour. A host that works draws more than one that
    could sleep: it is measured another time."""
    return list(_due(now))


def _due(now: datetime) -> Iterator[Due]:
    rows = (
        PowerSettings.objects.exclude(controller="")
        .filter(Q(measured_at=None) | Q(measured_at__lt=now - MEASURE_EVERY) | Q(measured_at__gt=now))
        .filter(refused="", host__standing=Host.Standing.ADMITTED, host__power__in=list(_FIELDS))
        .select_related("host__paddock")
        .order_by("measured_at", "pk")
    )
    for chosen in rows:
        controller = controller_of(chosen)
        if controller is not None and not is_working(chosen.host):
            yield Due(chosen.host, controller, *_FIELDS[chosen.host.power])


def measured(due: Due) -> tuple[dict[str, float], str]:
    """What its controller measures, in watts by the name of the field; and why it refused, "" where it did not."""
    try:
        state, watts = reading(due.controller)
    except ControllerRefused as error:
        return {}, str(error)
    except ControllerTrouble as error:
        log.info("%s could not be measured: %s", due.host.name, error)
        return {}, ""
    return ({due.field: watts} if state == due.state and watts is not None else {}), ""

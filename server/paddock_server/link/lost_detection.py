"""Marks a host as lost when its connection is open but silent for longer than the grace."""

from __future__ import annotations

import asyncio
import logging
import time

from channels.db import database_sync_to_async

from paddock_core.link_state import Link, LinkEvent

from ..health.actions.note_link import note_link
from ..hosts.models import LIVING, Host
from ..process import connections, event_loop
from ..storage import run_in_writer
from . import leases

log = logging.getLogger("paddock.link")

CHECK_INTERVAL_SECONDS = 0.5
REPAIR_INTERVAL_SECONDS = 15.0


async def lost_detection_loop() -> None:
    """Looks for silence, for ever: one pass over the connections, without the database."""
    healed_at = time.monotonic()
    while True:
        await asyncio.sleep(CHECK_INTERVAL_SECONDS)
        if time.monotonic() - healed_at >= REPAIR_INTERVAL_SECONDS:
            healed_at = time.monotonic()
            await _heal(healed_at)
        for connection in connections.silent(time.monotonic()):
            try:
                if connections.leave(connection) and not event_loop.server().stopping:
                    await run_in_writer(_note, connection.host_id, LinkEvent.SILENCE)
                    leases.expire_later(connection.host_id, 0, max(0.0, connection.lease - connection.grace))
            except Exception:
                log.exception("A silence could not be noted; others are listened to still.")
            connection.put(None)


async def _heal(now: float) -> None:
    """An agent that is heard is connected, whatever the database says: something else wrote there, or a note failed."""
    try:
        heard = [one.host_id for one in connections.heard_since(now - REPAIR_INTERVAL_SECONDS)]
        for host_id in await database_sync_to_async(_considered_lost)(heard):
            if connections.is_connected(host_id):
                await run_in_writer(_note, host_id, LinkEvent.HELLO)
    except Exception:
        log.exception("Links could not be set right; it is tried again.")


def _considered_lost(host_ids: list[int]) -> list[int]:
    away = Host.objects.filter(standing__in=LIVING).exclude(link=Link.CONNECTED.value)
    return sorted(set(away.values_list("pk", flat=True)) & set(host_ids))


def _note(host_id: int, seen: LinkEvent) -> None:
    note_link(Host.objects.select_related("paddock").get(pk=host_id), seen)

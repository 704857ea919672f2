"""Silence: a connection that nobody closed, and over which nothing comes past the grace. The host is lost then."""

from __future__ import annotations

import asyncio
import logging
import time

from channels.db import database_sync_to_async

from paddock_core.link_state import Seen

from ..health.actions.note_link import note_link
from ..hosts.models import Host
from . import connections, leases, running

log = logging.getLogger("paddock.link")

LOOK_EVERY = 0.5


async def keep_listening() -> None:
    """Looks for silence, for ever: one pass over the connections, without the database."""
    while True:
        await asyncio.sleep(LOOK_EVERY)
        for connection in connections.silent(time.monotonic()):
            try:
                if connections.leave(connection) and not running.server.stopping:
                    await database_sync_to_async(_note_silence)(connection.host_id)
                    leases.expire_later(connection.host_id, 0, max(0.0, connection.lease - connection.grace))
            except Exception:
                log.exception("A silence could not be noted; others are listened to still.")
            connection.put(None)


def _note_silence(host_id: int) -> None:
    note_link(Host.objects.select_related("paddock").get(pk=host_id), Seen.SILENCE)

"""Keeps rollouts rolling: looks twice a second while there are any."""

from __future__ import annotations

import asyncio
import logging
import time

from channels.db import database_sync_to_async
from django.db.models import Q

from paddock_core.link_state import Link
from paddock_core.rollout import AT_WORK, HostStep

from ..health import watches
from .actions.follow import follow_versions
from .actions.roll_on import roll_on
from .models import Rollout, RolloutHost

INTERVAL_SECONDS = 0.5
FOLLOW_INTERVAL = 600.0
REST = 10
"""A rollout over thousands of hosts takes time to look at: then the loop rests so many times as long."""
log = logging.getLogger("paddock.rollout")


async def rollout_loop() -> None:
    """For ever. A rollout that fails to move is tried again."""
    await database_sync_to_async(remember_orders)()
    followed = took = 0.0
    while True:
        await asyncio.sleep(max(INTERVAL_SECONDS, REST * took))
        began = time.monotonic()
        await database_sync_to_async(roll_all)()
        took = time.monotonic() - began
        if time.monotonic() - followed > FOLLOW_INTERVAL:
            followed = time.monotonic()
            await database_sync_to_async(_follow)()


def remember_orders() -> None:
    """After a start: the orders that wait for watches."""
    at_work = RolloutHost.objects.filter(step__in=[step.value for step in AT_WORK])
    watches.set_orders(dict(at_work.values_list("host_id", "pk")))


def roll_all() -> None:
    """Moves on every rollout that is not over, and every host that one could not reach."""
    moving = [HostStep.WAITING.value, *(step.value for step in AT_WORK)]
    back = Q(step=HostStep.UNREACHABLE.value, host__link=Link.CONNECTED.value)
    numbers = set(RolloutHost.objects.filter(Q(step__in=moving) | back).values_list("rollout", flat=True))
    numbers |= set(Rollout.objects.filter(state="rolling").values_list("pk", flat=True))
    for rollout in Rollout.objects.filter(pk__in=numbers).exclude(state__in=("waiting for approval", "turned down")):
        try:
            roll_on(rollout)
        except Exception:
            log.exception("Rollout %s could not be moved on.", rollout.pk)


def _follow() -> None:
    try:
        follow_versions()
    except Exception:
        log.exception("The paddocks that follow new versions could not be looked at.")

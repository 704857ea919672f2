"""Keeps standby going: decides when something happened, sends what wakes hosts, and notices what takes too long."""

from __future__ import annotations

import asyncio
import logging
from datetime import datetime

from channels.db import database_sync_to_async
from django.utils import timezone

from paddock_core.standby.power import DOWN_PATIENCE_SECONDS, MAX_TRIES, Power, wake_patience

from ..changes import Change
from ..errors import NotNow
from ..health import watches
from ..health.models import PowerChange
from ..hosts.models import Host
from ..process import event_loop
from ..process.state import part
from ..storage import action, run_in_writer
from .actions.controller import note_controller_refused
from .actions.power_down import begin_power_down, give_up_power_down
from .actions.wake import begin_wake, give_up_wake, note_try
from .decided import remember_short
from .deciding import decision
from .models import PowerSettings, Wake, WakeWay
from .targets import target_of
from .ways import WAYS, Tried

CALM_SECONDS = 0.5
"""Seconds between two decisions at least: many jobs that come together make one."""
LOOK_INTERVAL = 15.0
"""Seconds after which the loop looks again when nothing happened: hours begin, and tries run out."""
GOING_OFF_SECONDS = 10.0
"""Seconds that a machine takes from its agent's goodbye until it is off."""
NOUNS = ("job", "host", "paddock", "kit", "catalogue", "standby policy")
log = logging.getLogger("paddock.standby")


class _Wanted:
    def __init__(self) -> None:
        self.event: asyncio.Event | None = None

    def ring(self) -> None:
        if self.event is not None:
            self.event.set()


def hear(change: Change) -> None:
    """A change of these may change what standby wants."""
    if change.noun in NOUNS:
        event_loop.post(part(_Wanted).ring)


async def standby_loop() -> None:
    """For ever. A decision that fails is logged, and made again."""
    event = part(_Wanted).event = asyncio.Event()
    await database_sync_to_async(remember_orders)()
    again: float | None = 0.0
    while True:
        try:
            async with asyncio.timeout(
                min(LOOK_INTERVAL, max(CALM_SECONDS, again if again is not None else LOOK_INTERVAL))
            ):
                await event.wait()
        except TimeoutError:
            pass
        event.clear()
        try:
            again = await run_in_writer(decide_now)
            if await database_sync_to_async(is_changing)():
                await _try_all()
                await run_in_writer(give_up_overdue)
        except Exception:
            again = None
            log.exception("Standby could not decide. The server tries again.")
        await asyncio.sleep(CALM_SECONDS)


def remember_orders() -> None:
    """After a start: the hosts that were ordered to power down and have not gone yet."""
    going = PowerChange.objects.filter(state=Power.GOING_DOWN.value, host__power=Power.GOING_DOWN.value).order_by("id")
    watches.set_power_orders(dict(going.values_list("host_id", "pk")))


@action
def decide_now() -> float | None:
    """Decides, and carries the decision out; returns in how many seconds time alone may change it."""
    found = decision(timezone.now())
    remember_short(found.short)
    hosts = {one.name: one for one in Host.objects.filter(
        name__in=[*(wake.host for wake in found.wakes), *(down.host for down in found.downs)],
        standing=Host.Standing.ADMITTED,
    ).select_related("paddock")}  # fmt: skip
    for wake in found.wakes:
        begin_wake(hosts[wake.host], wake.jobs, wake.keeps, wake.wanted_by)
    for down in found.downs:
        try:
            begin_power_down(hosts[down.host], down.why)
        except NotNow as trouble:
            log.debug("%s stays on: %s", down.host, trouble)
    return found.look_again


def is_changing() -> bool:
    """Whether a host is on its way up or down."""
    return Wake.objects.filter(ended_at=None).exists() or Host.objects.filter(power=Power.GOING_DOWN.value).exists()


async def _try_all() -> None:
    """Tries to wake what is due. What a way does may take its time, so it is done outside of the writer."""
    for row, chosen in await database_sync_to_async(due_tries)(timezone.now()):
        target = await database_sync_to_async(target_of)(row, chosen)
        done = await asyncio.to_thread(WAYS[WakeWay(chosen.way)].wake, target)
        await run_in_writer(note_tried, row, done)


@action
def note_tried(row: Wake, done: Tried) -> None:
    """One that was refused is not tried again: that could lock an account."""
    note_try(row, done.lines)
    if done.refused:
        note_controller_refused(row.host, done.refused)
        give_up_wake(row)


def due_tries(now: datetime) -> list[tuple[Wake, PowerSettings]]:
    """The wakes of which a try is due, each with how its host is woken."""
    found = []
    for row in Wake.objects.filter(ended_at=None, host__power=Power.WAKING.value).select_related("host__paddock"):
        if row.tries < MAX_TRIES and _is_due(row, now):
            chosen = PowerSettings.objects.filter(host=row.host).first() or PowerSettings(host=row.host)
            found.append((row, chosen))
    return found


def _is_due(row: Wake, now: datetime) -> bool:
    if row.tried_at is None:
        # A machine that has just said goodbye is still shutting down, and misses the packet.
        asleep = PowerChange.objects.filter(host=row.host, state=Power.ASLEEP.value).order_by("-id").first()
        return asleep is None or not 0 <= (now - asleep.at).total_seconds() < GOING_OFF_SECONDS
    # A clock that was set back must not stop the tries: then the next one is due at once.
    passed = (now - row.tried_at).total_seconds()
    return not 0 <= passed < wake_patience(row.host.wake_seconds)


@action
def give_up_overdue() -> None:
    """Gives up on hosts that did not wake, and on those that did not go."""
    now = timezone.now()
    for row in Wake.objects.filter(ended_at=None).select_related("host__paddock"):
        if row.host.power != Power.WAKING.value or (row.tries >= MAX_TRIES and _is_due(row, now)):
            give_up_wake(row)
    for host in Host.objects.filter(power=Power.GOING_DOWN.value).select_related("paddock"):
        since = host.power_since
        if since is None or not 0 <= (now - since).total_seconds() < DOWN_PATIENCE_SECONDS:
            give_up_power_down(host)

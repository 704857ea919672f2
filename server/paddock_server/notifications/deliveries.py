"""Sends due messages, retries failed ones, and gives up after the last try. Sleeps until the next one is due."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from datetime import timedelta

from channels.db import database_sync_to_async
from django.db import transaction
from django.utils import timezone

from ..errors import NotNow
from ..process import event_loop
from ..process.state import part
from ..sealing import unseal
from ..storage import run_in_writer
from .models import Delivery
from .sending import NotSent, Outgoing, send

log = logging.getLogger("paddock.notifications")

AT_ONCE = 8
"""Concurrent deliveries. A receiver that never answers blocks one of them for ten seconds."""
MAX_SLEEP_SECONDS = 60.0


class _Deliveries:
    def __init__(self) -> None:
        self.wanted: asyncio.Event | None = None

    def wake(self) -> None:
        if self.wanted is not None:
            self.wanted.set()


def _deliveries() -> _Deliveries:
    return part(_Deliveries)


def wake_after_commit() -> None:
    """There is something new to send, once the transaction is through."""
    transaction.on_commit(lambda: event_loop.post(_deliveries().wake))


async def delivery_loop() -> None:
    """Delivers, for ever."""
    wanted = _deliveries().wanted = asyncio.Event()
    on_their_way: dict[int, asyncio.Task[None]] = {}
    while True:
        wanted.clear()
        on_their_way = {pk: task for pk, task in on_their_way.items() if not task.done()}
        try:
            due, rest = await database_sync_to_async(_due)(AT_ONCE - len(on_their_way), list(on_their_way))
        except Exception:
            log.exception("The check for due messages failed. The server tries again.")
            due, rest = [], MAX_SLEEP_SECONDS
        for pk in due:
            on_their_way[pk] = asyncio.create_task(_deliver(pk))
            on_their_way[pk].add_done_callback(lambda _: _deliveries().wake())
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(rest):
                await wanted.wait()


def _due(most: int, already: list[int]) -> tuple[list[int], float]:
    """The messages that are due, and the seconds until the next one is."""
    now = timezone.now()
    waiting = Delivery.objects.filter(state="waiting").exclude(pk__in=already).order_by("due_at")
    due = list(waiting.filter(due_at__lte=now).values_list("pk", flat=True)[: max(0, most)])
    later = waiting.filter(due_at__gt=now).values_list("due_at", flat=True).first()
    rest = min(MAX_SLEEP_SECONDS, (later - now) / timedelta(seconds=1) + 0.01) if later else MAX_SLEEP_SECONDS
    return due, rest


async def _deliver(pk: int) -> None:
    from .actions.deliver import note_failure, note_sent, prepare

    try:
        delivery = await run_in_writer(prepare, pk)
        if delivery is None:
            return
        rule = delivery.rule
        try:
            signing = unseal(rule.sealed_for, bytes(rule.sealed)) if rule.sealed else ""
            await send(
                Outgoing(
                    rule.kind, rule.target, delivery.subject, delivery.body, delivery.identity,
                    await database_sync_to_async(delivery.finding_numbers)(), signing,
                )
            )  # fmt: skip
        except (NotSent, NotNow) as failure:
            await run_in_writer(note_failure, pk, str(failure))
        else:
            await run_in_writer(note_sent, pk)
    except Exception:
        log.exception("A message was not delivered.")
        await run_in_writer(note_failure, pk, "Internal error; see the server's log.")

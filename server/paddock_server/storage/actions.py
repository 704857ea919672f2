"""How an action gets to the writer, from wherever it is called."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from functools import partial, wraps
from typing import Any, ParamSpec, TypeVar

from asgiref.sync import sync_to_async
from django.db import transaction

from .roles import set_writer
from .writer import Writer

P = ParamSpec("P")
R = TypeVar("R")

LONGEST_QUEUE = 400
"""Actions that wait, beyond which a request that would add one is asked to come back later. Agents need no such bound:
one that waits for its action is not read."""


class _Storage:
    writer: Writer | None = None


_storage = _Storage()


def start_writer() -> Writer:
    """Starts the writer of this process. From now on every action runs there."""
    _storage.writer = Writer()
    _storage.writer.start()
    set_writer(_storage.writer.thread)
    return _storage.writer


def stop_writer() -> None:
    """Ends it once all that was handed in is done."""
    if _storage.writer is not None:
        _storage.writer.stop()
        set_writer(None)
        _storage.writer = None


def is_full() -> bool:
    """Whether so much waits to be written that a request should come back later."""
    return _storage.writer is not None and len(_storage.writer) > LONGEST_QUEUE


def action(function: Callable[P, R]) -> Callable[P, R]:
    """Marks an action: ``function`` runs as a whole or not at all, and what it returns lies on the disk."""

    @wraps(function)
    def run(*arguments: P.args, **named: P.kwargs) -> R:
        writer = _storage.writer
        if writer is None or writer.is_current_thread():
            with transaction.atomic():
                return function(*arguments, **named)
        return writer.hand_in(partial(function, *arguments, **named)).result()

    return run


async def run_in_writer(function: Callable[..., R], *arguments: Any) -> R:
    """Runs ``function`` as an action, for the server's loop. It runs to its end even if the caller is cancelled."""
    writer = _storage.writer
    if writer is None:
        return await sync_to_async(action(function))(*arguments)
    return await asyncio.shield(asyncio.wrap_future(writer.hand_in(partial(function, *arguments))))

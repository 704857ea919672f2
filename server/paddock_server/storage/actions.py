"""How an action gets to the writer, from wherever it is called."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable, Iterator
from functools import partial, wraps
from typing import Any, ParamSpec, TypeVar

from asgiref.sync import sync_to_async
from django.db import transaction

from ..process.tracing import span
from .roles import set_writer
from .writer import Writer

P = ParamSpec("P")
R = TypeVar("R")

MAX_QUEUE_LENGTH = 400
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
    return _storage.writer is not None and len(_storage.writer) > MAX_QUEUE_LENGTH


def writer_counts() -> tuple[int, int]:
    """How many actions wait to be written, and how many batches were committed since the start."""
    writer = _storage.writer
    return (len(writer), writer.commits) if writer else (0, 0)


def action(function: Callable[P, R]) -> Callable[P, R]:
    """Marks an action: ``function`` runs as a whole or not at all, and what it returns lies on the disk."""

    @wraps(function)
    def run(*arguments: P.args, **named: P.kwargs) -> R:
        writer = _storage.writer
        if writer is None:
            with _within(), transaction.atomic():
                return function(*arguments, **named)
        if writer.is_current_thread():  # called by another action, with which it stands or falls
            return function(*arguments, **named)
        with span(f"action {function.__name__}"):
            return writer.hand_in(partial(function, *arguments, **named)).result()

    run.is_action = True  # type: ignore[attr-defined]
    return run


_actions = threading.local()


@contextlib.contextmanager
def _within() -> Iterator[None]:
    _actions.depth = getattr(_actions, "depth", 0) + 1
    try:
        yield
    finally:
        _actions.depth -= 1


def is_action() -> bool:
    """Whether an action is at work in the current thread: nothing else may change the database."""
    return is_writer() or getattr(_actions, "depth", 0) > 0


def is_writer() -> bool:
    """Whether the current thread is the writer of a running server: what it keeps in memory is what the rows say."""
    return _storage.writer is not None and _storage.writer.is_current_thread()


@contextlib.contextmanager
def savepoint() -> Iterator[None]:
    """For an action that goes on after a part of it raised: what that part did is taken back."""
    with contextlib.ExitStack() as stack:
        if _storage.writer is not None:
            stack.enter_context(_storage.writer.taking_back())
        stack.enter_context(transaction.atomic())
        yield


def on_rollback(callback: Callable[[], object]) -> None:
    """For an action: what is to be done if what it has written so far is taken back, as to what is kept in memory.
    Nothing outside a running server."""
    if _storage.writer is not None and _storage.writer.is_current_thread():
        _storage.writer.on_rollback(callback)


def before_commit(function: Callable[[], object]) -> bool:
    """For an action: what is to be done at the end of its batch, once for all that ask for it. False outside a running
    server: it is not done then."""
    if _storage.writer is None or not _storage.writer.is_current_thread():
        return False
    _storage.writer.before_commit(function)
    return True


async def run_in_writer(function: Callable[..., R], *arguments: Any) -> R:
    """Runs ``function`` as an action, for the server's loop. It runs to its end even if the caller is cancelled."""
    writer = _storage.writer
    if writer is None:
        return await sync_to_async(action(function))(*arguments)
    return await asyncio.shield(asyncio.wrap_future(writer.hand_in(partial(function, *arguments))))

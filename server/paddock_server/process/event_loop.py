"""The running server, for code in its threads: its event loop, and whether it is stopping.

Outside a running server (a command, a test of an action) nothing is posted.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from contextvars import Context
from typing import Any

from .state import part


class Running:
    """The loop of a running server; None where there is none. ``tasks`` keeps alive what was started in it."""

    def __init__(self) -> None:
        self.loop: asyncio.AbstractEventLoop | None = None
        self.stopping = False
        self.tasks: set[asyncio.Task[Any]] = set()


def server() -> Running:
    """The process's."""
    return part(Running)


def post(function: Callable[..., object], *arguments: object) -> None:
    """Calls ``function`` in the server's loop, soon. Safe from every thread."""
    loop = server().loop
    if loop is not None and not loop.is_closed():
        # In a context of its own: that of the thread says that the thread is busy, and what the function starts would
        # take that for its own, and refuse to use the database.
        loop.call_soon_threadsafe(function, *arguments, context=Context())


def post_later(seconds: float, function: Callable[..., object], *arguments: object) -> None:
    """The same after some seconds."""
    loop = server().loop
    if loop is not None:
        post(loop.call_later, seconds, function, *arguments)


def start(work: Coroutine[Any, Any, Any]) -> None:
    """Runs a coroutine in the loop that is current, and keeps it alive until it is done."""
    task = asyncio.get_running_loop().create_task(work)
    server().tasks.add(task)
    task.add_done_callback(server().tasks.discard)

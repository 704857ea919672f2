"""The running server, for code in its threads: its event loop, and whether it is stopping.

Outside a running server (a command, a test of an action) nothing is posted: there is nobody to hear it.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from contextvars import Context
from typing import Any


class _Running:
    loop: asyncio.AbstractEventLoop | None = None
    stopping = False


server = _Running()


def post(function: Callable[..., object], *arguments: object) -> None:
    """Calls ``function`` in the server's loop, soon. Safe from every thread."""
    if server.loop is not None and not server.loop.is_closed():
        # In a context of its own: that of the thread says that the thread is busy, and what the function starts would
        # take that for its own, and refuse to use the database.
        server.loop.call_soon_threadsafe(function, *arguments, context=Context())


def post_later(seconds: float, function: Callable[..., object], *arguments: object) -> None:
    """The same after some seconds."""
    if server.loop is not None:
        post(server.loop.call_later, seconds, function, *arguments)


_tasks: set[asyncio.Task[Any]] = set()


def start(work: Coroutine[Any, Any, Any]) -> None:
    """Runs a coroutine in the loop that is current, and keeps it alive until it is done."""
    task = asyncio.get_running_loop().create_task(work)
    _tasks.add(task)
    task.add_done_callback(_tasks.discard)

"""Work in a thread that does not keep the program from ending."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


async def in_a_daemon_thread(work: Callable[[], T]) -> T:
    """What ``work`` returns. Its thread does not keep the program from ending, as one of the loop's own would: a disk
    that hangs would hold it for ever."""
    loop = asyncio.get_running_loop()
    done: asyncio.Future[T] = loop.create_future()

    def settle(result: T | None, error: BaseException | None) -> None:
        if done.done():
            return
        if error:
            done.set_exception(error)
        else:
            done.set_result(result)  # type: ignore[arg-type]

    def run() -> None:
        result, error = None, None
        try:
            result = work()
        except Exception as failed:
            error = failed
        with contextlib.suppress(RuntimeError):  # the loop has ended
            loop.call_soon_threadsafe(settle, result, error)

    threading.Thread(target=run, daemon=True, name="work that may hang").start()
    return await done

"""Tells systemd how the server is (sd_notify(3)): ready, alive, stopping. Nothing outside a systemd service."""

from __future__ import annotations

import asyncio
import logging
import os
import socket

from ..storage import run_in_writer

log = logging.getLogger("paddock.server")


def notify(state: str) -> None:
    """Sends a state such as READY=1. The server goes on where systemd does not answer."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return
    try:
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM | socket.SOCK_CLOEXEC) as there:
            there.connect(f"\0{address[1:]}" if address.startswith("@") else address)
            there.sendall(state.encode())
    except OSError as error:
        log.warning("systemd could not be notified: %s", error)


def watchdog_seconds() -> float | None:
    """The interval within which systemd wants to hear from this process; None where it does not."""
    microseconds, pid = os.environ.get("WATCHDOG_USEC", ""), os.environ.get("WATCHDOG_PID", str(os.getpid()))
    if not microseconds.isdecimal() or pid != str(os.getpid()) or int(microseconds) == 0:
        return None
    return int(microseconds) / 1e6


async def watchdog_loop() -> None:
    """For ever: says that the loop turns and the writer works. A write that fails is an answer too: only a server that
    hangs is restarted."""
    interval = watchdog_seconds()
    while interval is not None:
        try:
            async with asyncio.timeout(interval / 2):
                await run_in_writer(_nothing)
        except TimeoutError:
            log.error("The writer has not answered for %.0f s.", interval / 2)
        except Exception:
            notify("WATCHDOG=1")
        else:
            notify("WATCHDOG=1")
        await asyncio.sleep(interval / 4)


def _nothing() -> None:
    """The writer's answer is all that is wanted."""

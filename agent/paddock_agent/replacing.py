"""Installing the service again while its agent runs jobs: the agent takes no new jobs, and the running ones end first.

The installer is another process, runs as root, and may be interrupted at any time. So it keeps touching a file in the
agent's folder. The agent refuses offers while that file is fresh, and takes jobs again soon after the installer stops.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
import os
import time
from collections.abc import Callable
from pathlib import Path

MARK = "being-replaced"
FRESH_SECONDS = 30.0
TOUCH_SECONDS = 1.0
MESSAGE_INTERVAL = 60.0
"""Seconds between two messages to the person who waits."""


def is_being_replaced(home: Path) -> bool:
    """Whether this agent is to be installed again as soon as its jobs have ended."""
    try:
        return abs(time.time() - (home / MARK).stat().st_mtime) < FRESH_SECONDS
    except OSError:
        return False


def running_attempts(home: Path) -> list[str]:
    """The attempts that run here, by the agent's own notes."""
    return sorted(file.stem for file in (home / "running").glob("*.json"))


async def wait_for_jobs(
    home: Path, say: Callable[[str], None], attempts: Callable[[Path], list[str]] = running_attempts
) -> None:
    """Returns once no job runs. Until then, and a moment longer, the agent takes no new jobs. ``attempts`` gives those
    that run."""
    mark = home / MARK
    last_message = -math.inf
    try:
        while True:
            _touch(mark)
            # An offer that was taken before the mark was there has its note soon after.
            await asyncio.sleep(TOUCH_SECONDS)
            running = attempts(home)
            if not running:
                return
            if time.monotonic() - last_message >= MESSAGE_INTERVAL:
                last_message = time.monotonic()
                say(waiting_for(running))
    except BaseException:
        with contextlib.suppress(OSError):
            mark.unlink()
        raise


def _touch(mark: Path) -> None:
    """Makes the file fresh. It lies in the folder of an account that jobs have, too, and root must follow no link."""
    if mark.is_symlink():
        mark.unlink()
    os.close(os.open(mark, os.O_WRONLY | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0), 0o644))
    os.utime(mark, follow_symlinks=os.utime not in os.supports_follow_symlinks)


def no_longer_replaced(home: Path) -> None:
    """The new agent takes jobs at once."""
    with contextlib.suppress(OSError):
        (home / MARK).unlink()


def waiting_for(running: list[str]) -> str:
    """The message for the person who waits."""
    jobs = ", ".join(name.split("-")[0] for name in running[:10])
    more = f" and {len(running) - 10} more" if len(running) > 10 else ""
    which = f"job {jobs}" if len(running) == 1 else f"{len(running)} jobs ({jobs}{more})"
    ends = "it ends" if len(running) == 1 else "they end"
    return (
        f"This agent runs {which}. Waiting until {ends}; it takes no new jobs. "
        f"Ctrl+C changes nothing. --now installs at once and loses {'it' if len(running) == 1 else 'them'}."
    )

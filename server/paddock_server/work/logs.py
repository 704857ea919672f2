"""The logs of attempts, as files of bytes."""

from __future__ import annotations

from ..link import feed
from .models import Attempt

LARGEST = 9 * 1024 * 1024
"""Bytes of one log. Our agent stops before; this is for one that does not."""


def append(attempt: Attempt, offset: int, data: bytes) -> None:
    """Puts a piece at its place. One that is there already is passed over, so that a repeat is harmless; a gap, which
    only a broken agent leaves, is closed up."""
    file = attempt.log_file
    file.parent.mkdir(parents=True, exist_ok=True)
    size = file.stat().st_size if file.exists() else 0
    fresh = data[max(0, size - offset) :][: max(0, LARGEST - size)]
    if fresh:
        with file.open("ab") as log:
            log.write(fresh)
        feed.tell("log", attempt.job_id)


def read(attempt: Attempt, offset: int = 0) -> bytes:
    """The log from ``offset`` bytes on; b"" where there is nothing yet."""
    try:
        with attempt.log_file.open("rb") as log:
            log.seek(offset)
            return log.read(LARGEST + 1)
    except FileNotFoundError:
        return b""

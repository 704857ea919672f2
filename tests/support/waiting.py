"""Waiting in tests: for something to be so, never for a time."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")
PATIENCE = 120.0
MAX_REST_SECONDS = 0.4


def until(is_so: Callable[[], T], what: object = "it", patience: float = PATIENCE) -> T:
    """What ``is_so`` gives as soon as that is true; fails once patience, in seconds, ends."""
    ends = time.monotonic() + patience
    rest = 0.02
    while True:
        if found := is_so():
            return found
        assert time.monotonic() < ends, f"waited {patience:g} s for {what() if callable(what) else what}"
        time.sleep(rest)
        # Who asks a server fifty times a second keeps it from what is waited for.
        rest = min(MAX_REST_SECONDS, rest * 1.3)


async def soon(is_so: Callable[[], T], what: str | Callable[[], object] = "it") -> T:
    """The same inside an event loop."""
    ends = time.monotonic() + PATIENCE
    while True:
        if found := is_so():
            return found
        assert time.monotonic() < ends, f"waited {PATIENCE:g} s for {what() if callable(what) else what}"
        await asyncio.sleep(0.005)

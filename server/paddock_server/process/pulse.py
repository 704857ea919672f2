"""The server's own pulse: how late its loop turns, and how much waits to be written, over the last hours."""

from __future__ import annotations

import asyncio
import time
from collections import deque
from dataclasses import dataclass

from ..storage import writer_counts
from .state import part

BEAT_SECONDS = 0.5
STEP_SECONDS = 60.0
STEPS = 24 * 60


@dataclass(frozen=True)
class PulseStep:
    """One minute: ``at`` in seconds since the epoch, the worst delay of the loop and the longest dispatch round in
    seconds, the longest queue of the writer, and how many batches it committed."""

    at: float
    delay: float
    dispatch: float
    queue: int
    commits: int


class Pulse:
    """The steps of the last day, the oldest first. ``began`` is when the process began, in seconds since the epoch;
    ``browsers`` how many follow the feed now."""

    def __init__(self) -> None:
        self.began = time.time()
        self.steps: deque[PulseStep] = deque(maxlen=STEPS)
        self.browsers = 0
        self._ends = time.monotonic() + STEP_SECONDS
        self._delay = self._dispatch = 0.0
        self._queue = self._commits = 0

    def note_dispatch(self, seconds: float) -> None:
        """Notes how long a round took. Safe from every thread."""
        self._dispatch = max(self._dispatch, seconds)

    def beat(self, delay: float, queue: int, commits: int) -> None:
        """Notes what was seen at one beat. ``commits`` counts from the start of the process."""
        self._delay, self._queue = max(self._delay, delay), max(self._queue, queue)
        if time.monotonic() >= self._ends:
            done = commits - self._commits
            self.steps.append(PulseStep(time.time(), self._delay, self._dispatch, self._queue, done))
            self._delay = self._dispatch = 0.0
            self._queue, self._commits = 0, commits
            self._ends = time.monotonic() + STEP_SECONDS


async def pulse_loop() -> None:
    """For ever: sleeps for a moment, and looks how much longer that took."""
    pulse = part(Pulse)
    while True:
        began = time.monotonic()
        await asyncio.sleep(BEAT_SECONDS)
        pulse.beat(max(0.0, time.monotonic() - began - BEAT_SECONDS), *writer_counts())

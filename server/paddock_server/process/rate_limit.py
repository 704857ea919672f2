"""The rate limit of heartbeats: an agent that sends far too many is slowed down."""

from __future__ import annotations

TOO_FAST = 4.0
"""So many times the pace that was asked for is too fast."""
BURST = 10.0
"""Heartbeats at once that are let pass: a machine that was suspended catches up."""
MAX_WAIT_SECONDS = 1.0


class Pace:
    """One connection's. ``every`` is the seconds between heartbeats that were asked for."""

    def __init__(self, every: float) -> None:
        self.every = every
        self._rate = TOO_FAST / every
        self._left = BURST
        self._last: float | None = None
        self._since = 0.0
        self._number = 0
        self._waits = 0

    def wait(self, now: float) -> float:
        """Counts a heartbeat at ``now`` (seconds of a monotonic clock); how many seconds the next may not be read."""
        if self._last is None:
            self._last = self._since = now
        self._left = min(BURST, self._left + (now - self._last) * self._rate) - 1
        self._last = now
        self._number += 1
        if self._left >= 0:
            self._waits = 0
            return 0.0
        self._waits += 1
        return min(MAX_WAIT_SECONDS, -self._left / self._rate)

    @property
    def is_news(self) -> bool:
        """Whether this wait needs a finding: now and then, not each time."""
        return self._waits % 50 == 3

    def rate(self, now: float) -> float:
        """Heartbeats a second since the first."""
        return self._number / max(0.001, now - self._since)

"""Ends sessions that are idle or old."""

from __future__ import annotations

from dataclasses import dataclass

CLOCK_TOLERANCE = 300.0
"""Seconds by which the server's clock may be set back without ending sessions."""


@dataclass(frozen=True)
class SessionLimits:
    """Seconds without a request (``idle``) and since the log-in (``age``) after which a session ends."""

    idle: float
    age: float


def is_over(limits: SessionLimits, opened: float, last_seen: float, now: float) -> bool:
    """Whether a session has ended. Times are seconds since the epoch, by the server's clock.

    A clock that was set back to before the log-in, or before the last request, would otherwise prolong sessions: what
    the clock cannot measure any more is over.
    """
    if now < opened - CLOCK_TOLERANCE or now < last_seen - CLOCK_TOLERANCE:
        return True
    return now - opened >= limits.age or now - last_seen >= limits.idle

"""Times that hosts report."""

from __future__ import annotations

from datetime import UTC, datetime

LATEST = 4e9
"""Seconds since the epoch: the year 2096."""


def moment(seconds: float | None) -> datetime | None:
    """Seconds since the epoch as a time; None for a missing or impossible one."""
    return datetime.fromtimestamp(seconds, UTC) if seconds is not None and 0 < seconds < LATEST else None

"""Times that hosts tell."""

from __future__ import annotations

from datetime import UTC, datetime

LATEST = 4e9
"""Seconds since the epoch: in 2096 this will be somebody's surprise."""


def moment(seconds: float | None) -> datetime | None:
    """Seconds since the epoch as a time; None for one that is not told, or that cannot be."""
    return datetime.fromtimestamp(seconds, UTC) if seconds is not None and 0 < seconds < LATEST else None

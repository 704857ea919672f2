"""Times that hosts report, and how messages write times."""

from __future__ import annotations

from datetime import UTC, datetime

LATEST = 4e9
"""Seconds since the epoch: the year 2096."""


def moment(seconds: float | None) -> datetime | None:
    """Seconds since the epoch as a time; None for a missing or impossible one."""
    return datetime.fromtimestamp(seconds, UTC) if seconds is not None and 0 < seconds < LATEST else None


def written_date(at: datetime) -> str:
    """For a message of the server, such as 28 Nov 2026, 09:05 UTC."""
    utc = at.astimezone(UTC)
    return f"{utc.day} {utc:%b %Y, %H:%M} UTC"

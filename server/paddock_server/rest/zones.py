"""Names of time zones in requests."""

from __future__ import annotations

from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from rest_framework import serializers


def demand_zone(name: str) -> None:
    """Raises ValidationError for a time zone that there is not."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise serializers.ValidationError(f"No time zone is called {name}.") from None

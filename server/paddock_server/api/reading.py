"""Reading what was sent."""

from __future__ import annotations

from rest_framework.request import Request


def validated(serializer, request: Request) -> dict:
    """What was sent, read by its serializer. Raises what becomes problem details."""
    given = serializer(data=request.data)
    given.is_valid(raise_exception=True)
    return given.validated_data

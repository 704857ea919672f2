"""Reading what was sent."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request
from rest_framework.serializers import BaseSerializer

from ..errors import Invalid


def validated(serializer: type[BaseSerializer[Any]], request: Request) -> dict[str, Any]:
    """What was sent, read by its serializer. Raises what becomes problem details."""
    given = serializer(data=request.data)
    given.is_valid(raise_exception=True)
    return dict(given.validated_data)


def whole_number(request: Request, name: str) -> int | None:
    """A number of the query, None where it is not given. Raises Invalid."""
    given = request.query_params.get(name)
    if given is None:
        return None
    if not given.isdecimal() or len(given) > 15:
        raise Invalid(f"{name} is a whole number, not {given[:40]!r}.")
    return int(given)

"""Reading JSON from strangers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser


class BoundedJson(JSONParser):
    """JSON. Input nested too deeply for Python is refused like invalid JSON."""

    def parse(
        self, stream: IO[Any], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None
    ) -> Any:
        """See the base class. Raises ParseError."""
        try:
            return super().parse(stream, media_type, parser_context)
        except RecursionError:
            raise ParseError("The JSON is nested too deeply.") from None

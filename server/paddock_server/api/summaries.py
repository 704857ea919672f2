"""Gives every operation of the schema a title: the first sentence of its description."""

from __future__ import annotations

from typing import Any

from ..errors import ActionError


def with_summaries(result: dict[str, Any], **_: object) -> dict[str, Any]:
    """A hook of drf-spectacular, called with the finished schema."""
    for operations in result["paths"].values():
        for operation in operations.values():
            sentence = operation.get("description", "").split(". ")[0].rstrip(".").replace("\n", " ")
            if not sentence:
                raise ActionError(f"{operation['operationId']} has no description: write a docstring")
            operation["summary"] = sentence
    return result

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


PROBLEM = {
    "type": "object",
    "description": "What went wrong, as RFC 9457 has it. ``errors`` says which parts of what was sent are wrong.",
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "detail": {"type": "string"},
        "errors": {"type": "array", "items": {"type": "object"}},
    },
    "required": ["type", "title", "status", "detail"],
}


def with_problems(result: dict[str, Any], **_: object) -> dict[str, Any]:
    """A hook of drf-spectacular: every operation may answer with a problem."""
    result["components"]["schemas"]["Problem"] = PROBLEM
    answer = {
        "description": "It was not done, and why.",
        "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    too_large = {**answer, "description": "The body is larger than this address accepts."}
    for operations in result["paths"].values():
        if "get" in operations:
            operations["get"]["responses"]["304"] = {"description": "It has not changed since the ETag that was sent."}
        for operation in operations.values():
            operation["responses"]["4XX"] = operation["responses"]["5XX"] = answer
            if "requestBody" in operation:
                operation["responses"]["413"] = too_large
    return result

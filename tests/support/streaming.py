"""Answers that come in pieces, put together."""

from __future__ import annotations

from asgiref.sync import async_to_sync
from django.http import StreamingHttpResponse


def whole(response: StreamingHttpResponse) -> bytes:
    """All that the answer sends."""

    async def gathered() -> bytes:
        return b"".join([piece async for piece in response.streaming_content])

    return async_to_sync(gathered)()

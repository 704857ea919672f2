"""A name for each request: in the answer's header, and on the lines of the log that it causes."""

from __future__ import annotations

import secrets
from typing import Any

from ..process.log_context import about, request_id

HEADER = b"x-request-id"


class RequestIds:
    """The ASGI application ``inner``. What a client calls its request itself does not count: it could be anything."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        name = secrets.token_hex(8)

        async def with_name(event: Any) -> None:
            if event["type"] == "http.response.start":
                event = {**event, "headers": [*event.get("headers", ()), (HEADER, name.encode())]}
            await send(event)

        with about(request_id, name):
            await self._inner(scope, receive, with_name)

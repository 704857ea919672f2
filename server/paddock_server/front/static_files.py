"""The web part's files: answered before Django, from a table that is made at the start."""

from __future__ import annotations

import asyncio
from typing import Any

from whitenoise.middleware import WhiteNoiseMiddleware

_ASKED = {
    b"if-none-match": "HTTP_IF_NONE_MATCH",
    b"if-modified-since": "HTTP_IF_MODIFIED_SINCE",
    b"range": "HTTP_RANGE",
    b"accept-encoding": "HTTP_ACCEPT_ENCODING",
}
PIECE = 256 * 1024


class StaticFiles:
    """The ASGI application ``inner``, in front of which files that are there are answered."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner
        self._files = WhiteNoiseMiddleware(lambda request: None).files

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        file = self._files.get(scope["path"]) if scope["type"] == "http" else None
        if file is None:
            await self._inner(scope, receive, send)
            return
        asked = {_ASKED[name]: value.decode("latin-1") for name, value in scope["headers"] if name in _ASKED}
        answer = file.get_response(scope["method"], asked)
        headers = [(name.lower().encode(), value.encode("latin-1")) for name, value in answer.headers]
        await send({"type": "http.response.start", "status": int(answer.status), "headers": headers})
        if answer.file is not None:
            with answer.file:
                while piece := await asyncio.to_thread(answer.file.read, PIECE):
                    await send({"type": "http.response.body", "body": piece, "more_body": True})
        await send({"type": "http.response.body", "body": b""})

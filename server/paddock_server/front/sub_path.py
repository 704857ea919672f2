"""A server below a path of its name, such as https://builds.example/paddock: the application inside sees no path."""

from __future__ import annotations

from typing import Any


class SubPath:
    """The ASGI application ``inner`` at ``path``, "" or such as "/paddock". A reverse proxy may pass the path on or
    strip it: both reach the same."""

    def __init__(self, inner: Any, path: str) -> None:
        self._inner = inner
        self._path = path

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        asked = scope["path"]
        if self._path and (asked == self._path or asked.startswith(f"{self._path}/")):
            scope = {**scope, "path": asked[len(self._path) :] or "/"}
        await self._inner(scope, receive, send)

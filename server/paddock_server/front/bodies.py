"""Bodies of requests: taken in as a whole before Django sees them, none larger than its address takes."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Any

from ..storage import is_full
from .refusal import refusal

MAX_BODY_BYTES = 2 * 1024 * 1024
BODIES_TOGETHER = 64 * 1024 * 1024
"""Bytes of bodies in the server's memory at one time."""
_BY_ADDRESS = {
    "/api/v1/session/": 16 * 1024,
    "/hooks/": 128 * 1024,
    "/agent/v1/outputs/": MAX_BODY_BYTES + 1024,
    "/agent/": 512 * 1024,
    "/metrics": 0,
}
_CHANGING = frozenset({"POST", "PUT", "PATCH", "DELETE"})
DRAIN_SECONDS, DRAIN_BYTES = 2.0, 16 * 1024 * 1024
"""A client that sends more than it may hears so only if it is let send a while."""


def largest_at(path: str) -> int:
    """How many bytes a body at this address may have."""
    return next((most for start, most in _BY_ADDRESS.items() if path.startswith(start)), MAX_BODY_BYTES)


class _Refused(Exception):
    """A body that is not taken in; the sentence says why."""

    def __init__(self, status: int, detail: str) -> None:
        super().__init__(detail)
        self.status = status


class _Gone(Exception):
    """The client went away."""


class Bodies:
    """The ASGI application ``inner``, which gets whole bodies only."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner
        self._together = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        most = largest_at(scope["path"])
        parts: list[bytes] = []
        try:
            try:
                await self._take(scope, receive, most, parts)
            except _Refused as why:
                await _refuse(send, receive, why.status, str(why))
                return
            except _Gone:
                return
            await self._inner(scope, _replay(b"".join(parts), receive), send)
        finally:
            self._together -= sum(map(len, parts))

    async def _take(self, scope: Any, receive: Any, most: int, parts: list[bytes]) -> None:
        if scope["method"] in _CHANGING and is_full():
            raise _Refused(503, "More waits to be written than the server takes at a time. Nothing was changed.")
        too_large = _Refused(413, f"A request to this address has at most {most} bytes.")
        announced = dict(scope["headers"]).get(b"content-length", b"")
        if announced.isdigit() and int(announced[:20]) > most:
            raise too_large
        size, more = 0, True
        while more:
            event = await receive()
            if event["type"] == "http.disconnect":
                raise _Gone
            part, more = event.get("body", b""), event.get("more_body", False)
            size += len(part)
            if size > most:
                raise too_large
            if part:
                if self._together + len(part) > BODIES_TOGETHER:
                    raise _Refused(503, "The server takes in too much at this moment.")
                self._together += len(part)
                parts.append(bytes(part))


def _replay(body: bytes, receive: Any) -> Any:
    given = [{"type": "http.request", "body": body, "more_body": False}]

    async def again() -> Any:
        return given.pop() if given else await receive()

    return again


async def _refuse(send: Any, receive: Any, status: int, detail: str) -> None:
    headers, body = refusal(status, detail)
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body, "more_body": True})
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(DRAIN_SECONDS):
            drained = 0
            while drained < DRAIN_BYTES:
                event = await receive()
                if event["type"] != "http.request" or not event.get("more_body"):
                    break
                drained += len(event.get("body", b""))
    await send({"type": "http.response.body", "body": b""})

"""Which pages may open the feed: this server's own, by scheme, name and port."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from django.conf import settings

from .headers import host_of, is_our_name

_DEFAULT_PORTS = {"http": 80, "https": 443, "ws": 80, "wss": 443}
_SCHEMES = {"ws": "http", "wss": "https"}


class OwnOrigin:
    """The ASGI WebSocket ``inner``, for pages of this server alone. Browsers always say where a page is from."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if is_own_origin(scope):
            await self._inner(scope, receive, send)
            return
        await receive()
        await send({"type": "websocket.close", "code": 4403})


def is_own_origin(scope: Any) -> bool:
    """Whether the page that opens the socket is from where it leads to, or from where people reach this server."""
    named = [value.decode("latin-1") for name, value in scope["headers"] if name == b"origin"]
    if len(named) != 1 or not is_our_name(scope):
        return False
    origin = _parts(named[0])
    scheme = _SCHEMES.get(scope.get("scheme", "ws"), "http")
    own = {_parts(f"{scheme}://{host_of(scope)}")}
    if settings.PUBLIC_URL:
        own.add(_parts(settings.PUBLIC_URL))
    return origin is not None and origin in own


def _parts(address: str) -> tuple[str, str, int] | None:
    try:
        parts = urlsplit(address)
        port = parts.port or _DEFAULT_PORTS.get(parts.scheme, 0)
    except ValueError:
        return None
    return (parts.scheme, (parts.hostname or "").lower(), port) if parts.hostname else None


async def no_such_socket(scope: Any, receive: Any, send: Any) -> None:
    """For WebSockets to addresses that there are not: refused before they open."""
    await receive()
    await send({"type": "websocket.close", "code": 4404})

"""What every answer tells browsers: what a page may load, who may frame it, what may be stored; and which names the
server goes by, for static files too."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http.request import split_domain_port, validate_host

from ..rest.problems import WRONG_NAME
from .refusal import refusal

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
_ALWAYS = {
    b"content-security-policy": POLICY.encode(),
    b"x-frame-options": b"DENY",
    b"x-content-type-options": b"nosniff",
    b"referrer-policy": b"same-origin",
    b"cross-origin-opener-policy": b"same-origin",
    b"permissions-policy": b"camera=(), geolocation=(), microphone=()",
}
_PRIVATE = ("/api/", "/agent/", "/hooks/", "/maintenance/", "/metrics")
"""Addresses whose answers are for who asked alone."""
_HSTS = (b"strict-transport-security", b"max-age=31536000")


class Headers:
    """The ASGI application ``inner``, whose answers have what a browser has to know."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        is_private = scope["path"].startswith(_PRIVATE)
        is_tls = scope.get("scheme") == "https"

        async def with_headers(event: Any) -> None:
            if event["type"] == "http.response.start":
                there = {name.lower() for name, _ in event.get("headers", ())}
                more = [(name, value) for name, value in _ALWAYS.items() if name not in there]
                if is_private and b"cache-control" not in there:
                    more.append((b"cache-control", b"no-store"))
                if is_tls and _is_reached_by_name(scope):
                    more.append(_HSTS)
                own = [_over_tls(header) if is_tls else header for header in event.get("headers", ())]
                event = {**event, "headers": [*own, *more]}
            await send(event)

        if not is_our_name(scope):
            await _wrong_name(with_headers)
            return
        await self._inner(scope, receive, with_headers)


def _over_tls(header: tuple[bytes, bytes]) -> tuple[bytes, bytes]:
    """A cookie that was set over TLS is sent over TLS alone."""
    name, value = header
    if name.lower() == b"set-cookie" and b"; secure" not in value.lower():
        return name, value + b"; Secure"
    return header


def _is_reached_by_name(scope: Any) -> bool:
    """Not by this machine's own name for itself, which all servers in development share."""
    domain, _ = split_domain_port(host_of(scope))
    return domain not in ("", "localhost", "127.0.0.1", "[::1]")


def host_of(scope: Any) -> str:
    """The Host header, "" for none."""
    for name, value in scope["headers"]:
        if name == b"host":
            host: str = value.decode("latin-1")
            return host
    return ""


def is_our_name(scope: Any) -> bool:
    """Whether the request is for a name that this server goes by. A program that names none may pass: it is not a
    browser that was lured here."""
    host = host_of(scope)
    if not host:
        return True
    domain, _ = split_domain_port(host)
    return bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)


async def _wrong_name(send: Any) -> None:
    headers, body = refusal(400, WRONG_NAME, "Not a name of this server", closes=False)
    await send({"type": "http.response.start", "status": 400, "headers": headers})
    await send({"type": "http.response.body", "body": body})

"""A span for each request, while traces are on."""

from __future__ import annotations

from typing import Any

from django.urls import Resolver404, resolve

from ..process.log_context import request_id
from ..process.tracing import is_tracing, mark_failed, request_span


class Traced:
    """The ASGI application ``inner``."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http" or not is_tracing():
            await self._inner(scope, receive, send)
            return
        route = _route(scope["path"])
        attributes = {
            "http.request.method": scope["method"], "http.route": route, "paddock.request": request_id.get(),
        }  # fmt: skip
        headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
        with request_span(f"{scope['method']} {route}", headers, attributes) as span:

            async def noting(event: Any) -> None:
                if event["type"] == "http.response.start":
                    span.set_attribute("http.response.status_code", event["status"])
                    if event["status"] >= 500:
                        mark_failed(span, f"answered {event['status']}")
                await send(event)

            await self._inner(scope, receive, noting)


def _route(path: str) -> str:
    """The address as the program has it, without names and numbers: /api/v1/hosts/<name>/. "/…" for others."""
    try:
        route = resolve(path).route
    except Resolver404:
        return "/…"
    return "/…" if route.startswith("^") else f"/{route}"

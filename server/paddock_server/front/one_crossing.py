"""Django's requests: each runs as a whole in one thread of a pool, from the first middleware to the last.

Django's own handler crosses between loop and threads for every middleware and signal, which costs more than most
requests do.
"""

from __future__ import annotations

import asyncio
import io
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from typing import Any, TypeVar

from django.conf import settings
from django.core import signals
from django.core.handlers.asgi import ASGIHandler, get_script_prefix
from django.core.handlers.base import BaseHandler
from django.db import close_old_connections
from django.http import HttpRequest, HttpResponseBase
from django.urls import set_script_prefix

from ..process.open_streams import OpenStreams, Reader
from ..process.state import part
from ..secret import digest

T = TypeVar("T")

MAX_CONCURRENT = 40
"""Requests that are worked on at a time; more wait. Some wait for other machines (SSH, Git) for seconds."""


class OneCrossing(ASGIHandler):
    """The ASGI application. The whole body of a request is its first event."""

    def __init__(self) -> None:
        BaseHandler.__init__(self)
        self.load_middleware(is_async=False)
        self._threads = ThreadPoolExecutor(MAX_CONCURRENT, "request")

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        event = await receive()
        response = await self._in_thread(lambda: self._answer(scope, event.get("body", b"")))
        if not response.streaming:
            await self.send_response(response, send)
            return
        gone = asyncio.create_task(_disconnected(receive))
        sending = asyncio.create_task(self.send_response(response, send))
        readers: list[Reader] = getattr(response, "readers", [])
        part(OpenStreams).add(readers, sending.cancel)
        await asyncio.wait([gone, sending], return_when=asyncio.FIRST_COMPLETED)
        part(OpenStreams).discard(readers, sending.cancel)
        for task in (gone, sending):
            task.cancel()
        await asyncio.gather(gone, sending, return_exceptions=True)
        await self._in_thread(response.close)

    async def _in_thread(self, work: Callable[[], T]) -> T:
        """What the request is about goes along: its id, and the span that it is in."""
        context = copy_context()
        return await asyncio.get_running_loop().run_in_executor(self._threads, lambda: context.run(work))

    def _answer(self, scope: Any, body: bytes) -> HttpResponseBase:
        if settings.SUB_PATH:
            scope = {**scope, "root_path": settings.SUB_PATH, "path": settings.SUB_PATH + scope["path"]}
        set_script_prefix(get_script_prefix(scope))
        signals.request_started.send(sender=type(self), scope=scope)
        request, refused = self.create_request(scope, io.BytesIO(body))
        response = refused if request is None else self.get_response(request)
        assert response
        if response.streaming:
            response.readers = _readers_of(request)  # type: ignore[attr-defined]
            close_old_connections()
        else:
            response.close()
        return response


def _readers_of(request: HttpRequest | None) -> list[Reader]:
    """Whose being shut out ends the answer: the person, and the session or the token."""
    user = getattr(request, "user", None)
    if request is None or user is None or not user.is_authenticated:
        return []
    token = getattr(user, "acting_token", None)
    key = request.session.session_key
    means: list[Reader] = [("token", token.pk)] if token else [("session", digest(key))] if key else []
    return [("person", user.pk), *means]


async def _disconnected(receive: Any) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass

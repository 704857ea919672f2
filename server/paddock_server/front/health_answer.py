"""Whether the server can serve, for whatever watches it: answered before Django."""

from __future__ import annotations

import asyncio
import json
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.conf import settings
from django.db import connection

from ..rest.problems import CONTENT_TYPE, problem
from ..storage.trouble import look

PATHS = ("/healthz", "/readyz")
ALIVE = "/livez"
"""Answered without a look at the disk: the process runs, and its loop turns."""
_WELL = json.dumps({"status": "ok"}).encode()


class HealthAnswer:
    """The ASGI application ``inner``, in front of which ``/healthz`` and ``/readyz`` are answered: 200 while the data
    folder and the database can be written, else why not. ``/livez`` is answered while the process runs."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner
        self._thread = ThreadPoolExecutor(1, "health")

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        asked = scope["path"] if scope["type"] == "http" and scope["method"] in ("GET", "HEAD") else ""
        if asked not in (*PATHS, ALIVE):
            await self._inner(scope, receive, send)
            return
        trouble = None
        if asked != ALIVE:
            name = connection.settings_dict["NAME"]
            trouble = await asyncio.get_running_loop().run_in_executor(self._thread, look, settings.DATA, name)
        status, kind, body = 200, "application/json", _WELL
        headers = []
        if trouble:
            status, kind = trouble.status, CONTENT_TYPE
            body = json.dumps(problem(trouble.status, trouble.title, trouble.detail)).encode()
            if trouble.retry_after:
                headers.append((b"retry-after", str(trouble.retry_after).encode()))
        headers += [(b"content-type", kind.encode()), (b"content-length", str(len(body)).encode())]
        await send({"type": "http.response.start", "status": status, "headers": headers})
        await send({"type": "http.response.body", "body": b"" if scope["method"] == "HEAD" else body})

"""Refusals that are sent before Django hears of a request: problems, as the API's."""

from __future__ import annotations

import http
import json

from ..rest.problems import CONTENT_TYPE, problem

RETRY_AFTER = 5
"""Seconds."""

Headers = list[tuple[bytes, bytes]]


def refusal(status: int, detail: str, title: str = "", *, closes: bool = True) -> tuple[Headers, bytes]:
    """Headers and body. With ``closes`` the connection ends with it."""
    body = json.dumps(problem(status, title or http.HTTPStatus(status).phrase, detail)).encode()
    headers = [(b"content-type", CONTENT_TYPE.encode()), (b"content-length", str(len(body)).encode())]
    if closes:
        headers.append((b"connection", b"close"))
    if status == http.HTTPStatus.SERVICE_UNAVAILABLE:
        headers.append((b"retry-after", str(RETRY_AFTER).encode()))
    return headers, body

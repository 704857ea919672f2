"""As much of an API client as the demo needs, over the standard library."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from typing import Any


class ApiError(Exception):
    """The server refused; the message is its own."""


class Api:
    """The server's API, with a person's token."""

    def __init__(self, url: str, token: str = "") -> None:
        self._url = url
        self._token = token

    def is_up(self) -> bool:
        """Whether the server can serve."""
        try:
            return bool(self.get("/healthz")["status"] == "ok")
        except (OSError, ApiError):
            return False

    def get(self, path: str) -> Any:
        """The answer to GET."""
        return json.loads(self._ask(path, None) or b"null")

    def get_bytes(self, path: str) -> bytes:
        """The answer to GET as it is: a log."""
        return self._ask(path, None)

    def post(self, path: str, body: object = None) -> Any:
        """The answer to POST."""
        return json.loads(self._ask(path, json.dumps(body or {}).encode()) or b"null")

    def patch(self, path: str, body: object) -> Any:
        """The answer to PATCH."""
        return json.loads(self._ask(path, json.dumps(body).encode(), "PATCH") or b"null")

    def put(self, path: str, body: object) -> Any:
        """The answer to PUT."""
        return json.loads(self._ask(path, json.dumps(body).encode(), "PUT") or b"null")

    def delete(self, path: str) -> None:
        """DELETE."""
        self._ask(path, None, "DELETE")

    def _ask(self, path: str, body: bytes | None, method: str | None = None) -> bytes:
        headers = {"Content-Type": "application/json", "Authorization": f"Bearer {self._token}"}
        asked = urllib.request.Request(self._url + path, body, headers if self._token else {}, method=method)  # noqa: S310
        try:
            with urllib.request.urlopen(asked, timeout=30) as answer:  # noqa: S310
                return bytes(answer.read())
        except urllib.error.HTTPError as error:
            raise ApiError(f"{path}: {error.read().decode(errors='replace')}") from None

"""The API client of the commands: address, token and errors."""

from __future__ import annotations

import os
from typing import Any

import httpx

PATIENCE = 90.0
PAGE_SIZE = 1000


class Refused(Exception):
    """The server refused or did not answer; the message has the reason. ``errors`` are the parts that are wrong."""

    def __init__(self, message: str, errors: list[dict[str, Any]] | None = None, status: int = 0) -> None:
        super().__init__(message)
        self.errors = errors or []
        self.status = status


class Server:
    """A server, by ``PADDOCK_SERVER`` and ``PADDOCK_TOKEN`` unless it is named."""

    def __init__(self, address: str = "", token: str = "", transport: httpx.BaseTransport | None = None) -> None:
        self.address = (address or os.environ.get("PADDOCK_SERVER") or "http://127.0.0.1:8200").rstrip("/")
        # A token that was pasted with a space or a line break in it is the same token.
        token = "".join((token or os.environ.get("PADDOCK_TOKEN", "")).split())
        if not token:
            raise Refused(
                "Set PADDOCK_TOKEN to a token of yours. On the server, `paddock token --user NAME` makes one; it is "
                "shown once."
            )
        self._http = httpx.Client(
            base_url=f"{self.address}/api/v1/",
            headers={"Authorization": f"Bearer {token}", "Accept": "application/json"},
            timeout=PATIENCE,
            transport=transport,
        )

    def get(self, path: str, **parameters: object) -> Any:
        """Raises Refused."""
        return self._answer("GET", path, params={name: str(value) for name, value in parameters.items()})

    def rows(self, path: str) -> list[Any]:
        """All rows of a list that comes in pages. Raises Refused."""
        found: list[Any] = []
        page = 1
        while True:
            answer = self.get(path, page=page, page_size=PAGE_SIZE)
            found += answer["results"]
            if not answer["next"]:
                return found
            page += 1

    def post(self, path: str, body: object = None) -> Any:
        """Raises Refused."""
        return self._answer("POST", path, json=body or {})

    def put(self, path: str, body: object) -> Any:
        """Raises Refused."""
        return self._answer("PUT", path, json=body)

    def delete(self, path: str) -> Any:
        """Raises Refused."""
        return self._answer("DELETE", path)

    def text(self, path: str, *, raises: bool = False, **parameters: object) -> str:
        """The text at an address; "" for an error answer, unless that ``raises``. Raises Refused."""
        asked = {name: str(value) for name, value in parameters.items()}
        try:
            found = self._http.get(path, params=asked, headers={"Accept": "*/*" if raises else "text/plain"})
        except httpx.HTTPError as error:
            raise Refused(self._unreachable(error)) from None
        if raises and not found.is_success:
            self._answer("GET", path, params=asked)
        return found.text if found.is_success else ""

    def _answer(self, method: str, path: str, **more: Any) -> Any:
        try:
            found = self._http.request(method, path, **more)
        except httpx.HTTPError as error:
            raise Refused(self._unreachable(error)) from None
        try:
            answer = found.json() if found.content else None
        except ValueError:
            raise Refused(
                f"{self.address} does not answer as a Yellow Paddock does (status {found.status_code})."
            ) from None
        if not found.is_success:
            answer = answer if isinstance(answer, dict) else {}
            raise Refused(str(answer.get("detail") or found.reason_phrase), answer.get("errors"), found.status_code)
        return answer

    def _unreachable(self, error: httpx.HTTPError) -> str:
        why = str(error) or type(error).__name__
        return f"The server at {self.address} cannot be reached: {why}. Set PADDOCK_SERVER to its address."

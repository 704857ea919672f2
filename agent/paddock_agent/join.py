"""Joining: a pass goes to the server, the agent's own key comes back."""

from __future__ import annotations

import json
import urllib.error
import urllib.parse
import urllib.request

from . import wire
from .errors import BadMessage, JoinRefused, Unreachable

PATIENCE = 30.0


def clean_address(text: str) -> str:
    """The server's address without stray spaces and slashes. Raises Unreachable, saying what is wrong with it."""
    address = text.strip().rstrip("/")
    parts = urllib.parse.urlsplit(address)
    if parts.scheme not in ("http", "https"):
        raise Unreachable(
            f'The address "{text}" does not start with http:// or https://. Write it as http://paddock:8200.'
        )
    if not parts.hostname or " " in address:
        raise Unreachable(f'The address "{text}" names no host. Write it as http://paddock:8200.')
    if parts.path or parts.query or parts.fragment:
        raise Unreachable(f'The address "{text}" has a path. Write only the server: {parts.scheme}://{parts.netloc}.')
    return address


def join(server: str, request: wire.JoinRequest) -> wire.JoinAnswer:
    """Asks ``server`` to let this machine join. Raises JoinRefused with the server's own words, or Unreachable."""
    try:
        return wire.read_as(wire.JoinAnswer, _post(f"{clean_address(server)}/agent/v1/join", wire.encode(request), {}))
    except urllib.error.HTTPError as error:
        raise JoinRefused(_problem(error)) from None
    except BadMessage as error:
        raise Unreachable(f"What answers at {server} is no Yellow Paddock server: {error}") from None


def leave(server: str, key: str) -> bool:
    """Tells ``server`` that this host is gone for good; False if it knew the key no longer. Raises Unreachable."""
    try:
        _post(f"{clean_address(server)}/agent/v1/leave", b"{}", {"Authorization": f"Bearer {key}"})
    except urllib.error.HTTPError as error:
        if error.code == 401:
            return False
        raise Unreachable(f"The server would not take the farewell: {_problem(error)}") from None
    return True


def _post(address: str, body: bytes, headers: dict[str, str]) -> bytes:
    """The answer to a POST. Raises HTTPError, which holds the server's words, or Unreachable."""
    kinds = {"Content-Type": "application/json", "Accept": "application/json"}
    asked = urllib.request.Request(address, body, {**kinds, **headers}, method="POST")  # noqa: S310 - clean_address
    try:
        with urllib.request.urlopen(asked, timeout=PATIENCE) as answer:  # noqa: S310
            return bytes(answer.read(wire.LARGEST_MESSAGE))
    except urllib.error.HTTPError:
        raise
    except OSError as error:
        reason = getattr(error, "reason", error)
        raise Unreachable(
            f"No server answers at {address.rsplit('/agent', 1)[0]}: {reason}. Is the address right, and the server up?"
        ) from None


def _problem(error: urllib.error.HTTPError) -> str:
    try:
        said = json.loads(error.read(64 * 1024))
        return str(said.get("detail") or said["title"])
    except (ValueError, KeyError, AttributeError):
        return f"The server answered {error.code} {error.reason}."

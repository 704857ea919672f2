"""Joining: a pass goes to the server, the agent's own key comes back."""

from __future__ import annotations

import urllib.error

from . import wire
from .address import clean_address
from .errors import BadMessage, JoinRefused, Unreachable
from .http_client import post, problem_of


def join(server: str, request: wire.JoinRequest) -> wire.JoinAnswer:
    """Asks ``server`` to let this machine join. Raises JoinRefused with the server's own words, or Unreachable."""
    try:
        return wire.read_as(wire.JoinAnswer, post(f"{clean_address(server)}/agent/v1/join", wire.encode(request), {}))
    except urllib.error.HTTPError as error:
        raise JoinRefused(problem_of(error)) from None
    except BadMessage as error:
        raise Unreachable(f"{server} is not a Yellow Paddock server: {error}") from None


def leave(server: str, key: str) -> bool:
    """Tells ``server`` that this host is gone for good; False if it knew the key no longer. Raises Unreachable."""
    try:
        post(f"{clean_address(server)}/agent/v1/leave", b"{}", {"Authorization": f"Bearer {key}"})
    except urllib.error.HTTPError as error:
        if error.code == 401:
            return False
        raise Unreachable(f"The server would not take the farewell: {problem_of(error)}") from None
    return True

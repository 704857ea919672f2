"""The server's address as people write it."""

from __future__ import annotations

import urllib.parse

from .errors import Unreachable


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

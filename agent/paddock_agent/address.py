"""The server's address as people write it."""

from __future__ import annotations

import re
import urllib.parse

from .errors import Unreachable

PATH = re.compile(r"(?:/[A-Za-z0-9._~-]+)*")
"""A server may be below a path of its name."""


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
    if parts.query or parts.fragment or not PATH.fullmatch(parts.path):
        raise Unreachable(
            f'The address "{text}" has more than a server and its path. Write only: {parts.scheme}://{parts.netloc}.'
        )
    return address

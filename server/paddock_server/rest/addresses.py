"""This server's own addresses, as who asks reaches it."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest
from rest_framework.request import Request


def server_address(request: HttpRequest | Request, path: str = "") -> str:
    """The address of ``path``, such as "/login", by the name and scheme of the request; without a path, the server's,
    which has no slash at its end."""
    return f"{request.scheme}://{request.get_host()}{settings.SUB_PATH}{path}"

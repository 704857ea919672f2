"""Calls of a provider: bounded in time and size, to the addresses that its configuration names, without redirects."""

from __future__ import annotations

import ipaddress
import json
import time
from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

import httpx
from django.conf import settings

from ..tls import trusting_context
from .errors import ProviderTrouble

MAX_ANSWER_BYTES = 512 * 1024


def demand_safe_address(url: str, what: str) -> None:
    """Raises ProviderTrouble unless it is an https address. On this machine alone, http will do."""
    try:
        parts = urlsplit(url)
        host = parts.hostname or ""
    except ValueError:
        parts, host = urlsplit(""), ""
    if (parts.scheme == "https" and host) or (parts.scheme == "http" and _is_loopback(host)):
        return
    raise ProviderTrouble(f"The provider's {what} is {url[:200]!r}. It has to be an https address.")


def fetched(url: str, what: str, form: Mapping[str, str] | None = None, auth: tuple[str, str] | None = None) -> Any:
    """The JSON object at an address; ``form`` is posted. The HTTP status and the object. Raises ProviderTrouble."""
    demand_safe_address(url, what)
    deadline = time.monotonic() + settings.SIGN_ON_TIMEOUT_SECONDS
    method = "GET" if form is None else "POST"
    try:
        with (
            httpx.Client(
                timeout=settings.SIGN_ON_TIMEOUT_SECONDS,
                follow_redirects=False,
                trust_env=False,
                verify=trusting_context(),
            ) as client,
            client.stream(
                method, url, data=dict(form) if form else None, auth=auth, headers={"Accept": "application/json"}
            ) as answer,
        ):
            body = b""
            for piece in answer.iter_bytes():
                body += piece
                if len(body) > MAX_ANSWER_BYTES:
                    raise ProviderTrouble(f"The provider's {what} is larger than {MAX_ANSWER_BYTES // 1024} KiB.")
                if time.monotonic() > deadline:
                    raise ProviderTrouble(_too_slow(what))
            status, kind = answer.status_code, answer.headers.get("content-type", "")
    except httpx.TimeoutException:
        raise ProviderTrouble(_too_slow(what)) from None
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise ProviderTrouble(f"The provider's {what} cannot be reached: {str(error)[:200]}") from None
    try:
        found = json.loads(body)
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, dict):
        shown = kind.split(";")[0][:60] or "no type"
        raise ProviderTrouble(f"The provider's {what} is not a JSON object but {shown} (status {status}).")
    if status >= 300 and "error" not in found:
        raise ProviderTrouble(f"The provider answered with status {status} for its {what}.")
    return found


def _too_slow(what: str) -> str:
    return f"The provider's {what} did not come within {settings.SIGN_ON_TIMEOUT_SECONDS:g} s."


def _is_loopback(host: str) -> bool:
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False

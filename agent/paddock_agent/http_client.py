"""One request to the server over HTTP, with the standard library alone: it works before anything is installed."""

from __future__ import annotations

import http.client
import json
import socket
import ssl
import urllib.error
import urllib.request
from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import urlsplit

from .errors import Unreachable, Untrusted

PATIENCE = 30.0
MAX_ANSWER_BYTES = 1024 * 1024


def post(address: str, body: bytes, headers: Mapping[str, str], patience: float = PATIENCE) -> bytes:
    """The answer to a POST of JSON. Raises HTTPError, which holds the server's words; Unreachable; or Untrusted."""
    try:
        with urllib.request.urlopen(_request(address, body, headers), timeout=patience) as answer:  # noqa: S310
            return bytes(answer.read(MAX_ANSWER_BYTES))
    except urllib.error.HTTPError:
        raise
    except (OSError, ValueError) as error:
        raise unreachable(address, error) from None


def post_any_way(address: str, body: bytes, headers: Mapping[str, str], known_ip: str = "") -> tuple[bytes, bool]:
    """The same, by every way that there may be: as the environment says, without its proxy, and at the address that the
    server's name had before; and whether the first way, the usual one, was it. Who reports a trouble must not be
    silenced by it. Raises as ``post`` does by the first."""
    ways: list[list[urllib.request.BaseHandler]] = [[urllib.request.ProxyHandler({})]]
    if known_ip:
        ways.append([urllib.request.ProxyHandler({}), _HttpAt(known_ip), _HttpsAt(known_ip)])
    try:
        return post(address, body, headers), True
    except Untrusted:
        raise
    except Unreachable as first:
        for handlers in ways:
            try:
                opener = urllib.request.build_opener(*handlers)
                with opener.open(_request(address, body, headers), timeout=PATIENCE) as answer:
                    return bytes(answer.read(MAX_ANSWER_BYTES)), False
            except urllib.error.HTTPError:
                raise
            except (OSError, ValueError):
                continue
        raise first from None


def _request(address: str, body: bytes, headers: Mapping[str, str]) -> urllib.request.Request:
    kinds = {"Content-Type": "application/json", "Accept": "application/json"}
    return urllib.request.Request(address, body, {**kinds, **headers}, method="POST")  # noqa: S310 - clean_address


def _connected_to(ip: str) -> Callable[..., socket.socket]:
    """Connects to ``ip`` instead of the name. The name stays what the server is asked for, and what its certificate
    must say."""

    def connect(address: tuple[str, int], *rest: object, **more: object) -> socket.socket:
        return socket.create_connection((ip, address[1]), *rest, **more)  # type: ignore[arg-type]

    return connect


class _HttpAt(urllib.request.HTTPHandler):
    def __init__(self, ip: str) -> None:
        super().__init__()
        self._ip = ip

    def http_open(self, req: urllib.request.Request) -> http.client.HTTPResponse:
        """Opens at the known address."""
        return self.do_open(self._connection, req)

    def _connection(self, host: str, **more: Any) -> http.client.HTTPConnection:
        made = http.client.HTTPConnection(host, **more)
        made._create_connection = _connected_to(self._ip)  # type: ignore[attr-defined]
        return made


class _HttpsAt(urllib.request.HTTPSHandler):
    def __init__(self, ip: str) -> None:
        super().__init__()
        self._ip = ip

    def https_open(self, req: urllib.request.Request) -> http.client.HTTPResponse:
        """Opens at the known address."""
        return self.do_open(self._connection, req)

    def _connection(self, host: str, **more: Any) -> http.client.HTTPSConnection:
        made = http.client.HTTPSConnection(host, **more)
        made._create_connection = _connected_to(self._ip)  # type: ignore[attr-defined]
        return made


def ip_of(address: str) -> str:
    """The network address that the name in an HTTP address has now; "" where it has none."""
    host = urlsplit(address).hostname or ""
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except OSError:
        return ""
    return str(found[0][4][0]) if found else ""


def unreachable(address: str, error: Exception) -> Unreachable:
    """What to raise when a call did not get through, in words."""
    reason = getattr(error, "reason", error)
    server = address.split("/agent/", 1)[0]
    if isinstance(reason, ssl.SSLCertVerificationError):
        return Untrusted(
            f"The certificate of {server} is not trusted: {reason.verify_message}. If it is signed by your own "
            "authority, put that one's certificate into a file and set SSL_CERT_FILE to it."
        )
    return Unreachable(f"No server answers at {server}: {reason}. Is the address right, and the server up?")


def problem_of(error: urllib.error.HTTPError) -> str:
    """The server's problem details (RFC 9457) as a sentence."""
    try:
        problem = json.loads(error.read(64 * 1024))
        return str(problem.get("detail") or problem["title"])
    except (ValueError, KeyError, AttributeError):
        return f"The server answered {error.code} {error.reason}."

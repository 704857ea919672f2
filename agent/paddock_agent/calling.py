"""One request to the server over HTTP, with the standard library alone: it works before anything is installed."""

from __future__ import annotations

import json
import ssl
import urllib.error
import urllib.request
from collections.abc import Mapping

from .errors import Unreachable, Untrusted

PATIENCE = 30.0
LARGEST_ANSWER = 1024 * 1024


def post(address: str, body: bytes, headers: Mapping[str, str], patience: float = PATIENCE) -> bytes:
    """The answer to a POST of JSON. Raises HTTPError, which holds the server's words; Unreachable; or Untrusted."""
    kinds = {"Content-Type": "application/json", "Accept": "application/json"}
    asked = urllib.request.Request(address, body, {**kinds, **headers}, method="POST")  # noqa: S310 - clean_address
    try:
        with urllib.request.urlopen(asked, timeout=patience) as answer:  # noqa: S310
            return bytes(answer.read(LARGEST_ANSWER))
    except urllib.error.HTTPError:
        raise
    except (OSError, ValueError) as error:
        raise unreachable(address, error) from None


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
    """What the server said was wrong (RFC 9457), as a sentence."""
    try:
        said = json.loads(error.read(64 * 1024))
        return str(said.get("detail") or said["title"])
    except (ValueError, KeyError, AttributeError):
        return f"The server answered {error.code} {error.reason}."

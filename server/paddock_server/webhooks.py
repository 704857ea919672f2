"""Signatures of webhooks, the same for messages that come in and that go out: our own headers, and those of Standard
Webhooks (https://www.standardwebhooks.com), whose key is the secret's text."""

from __future__ import annotations

import base64
import hashlib
import hmac
from collections.abc import Mapping

SIGNATURE, TIMESTAMP = "Paddock-Signature", "Paddock-Timestamp"
STANDARD_ID, STANDARD_TIMESTAMP, STANDARD_SIGNATURE = "webhook-id", "webhook-timestamp", "webhook-signature"
NEW_FOR = 300
"""Seconds for which a message is new."""
MAX_ID_LENGTH = 190
MAX_SIGNATURES = 10


class SignatureRefused(Exception):
    """The sentence says what is wrong with a message."""


def signed(body: bytes, secret: str, identity: str, now: float) -> dict[str, str]:
    """The headers with which a receiver can prove that a message is ours, and new: HMAC with SHA-256 (RFC 2104).
    ``identity`` is the same for each try of one message."""
    stamp = str(int(now))
    return {
        TIMESTAMP: stamp,
        SIGNATURE: _own(secret, stamp, body),
        STANDARD_ID: identity,
        STANDARD_TIMESTAMP: stamp,
        STANDARD_SIGNATURE: _standard(secret, identity, stamp, body),
    }


def verified(headers: Mapping[str, str], body: bytes, secret: str, now: float) -> str:
    """What tells this message from all others, so that a replay is noticed. Raises SignatureRefused, for an empty
    secret always."""
    if headers.get(STANDARD_SIGNATURE):
        return _verified_standard(headers, body, secret, now)
    given, stamp = headers.get(SIGNATURE, ""), headers.get(TIMESTAMP, "")
    if not secret or not _equal(given, _own(secret, stamp, body)):
        raise SignatureRefused(
            f"The signature is not right: {SIGNATURE} is sha256= and the HMAC of timestamp.body. Without it, "
            f"{STANDARD_SIGNATURE} counts."
        )
    _demand_new(TIMESTAMP, stamp, now)
    return given.removeprefix("sha256=")


def _verified_standard(headers: Mapping[str, str], body: bytes, secret: str, now: float) -> str:
    identity, stamp = headers.get(STANDARD_ID, ""), headers.get(STANDARD_TIMESTAMP, "")
    wanted = _standard(secret, identity, stamp, body)
    given = headers[STANDARD_SIGNATURE].split()[:MAX_SIGNATURES]
    if not secret or not any(_equal(one, wanted) for one in given):
        raise SignatureRefused(
            f"The signature is not right: {STANDARD_SIGNATURE} is v1, and the HMAC of id.timestamp.body in base64."
        )
    if not 0 < len(identity) <= MAX_ID_LENGTH:
        raise SignatureRefused(f"{STANDARD_ID} has 1 to {MAX_ID_LENGTH} characters.")
    _demand_new(STANDARD_TIMESTAMP, stamp, now)
    return f"id:{identity}"


def _demand_new(name: str, stamp: str, now: float) -> None:
    if not (stamp.isascii() and stamp.isdecimal()) or len(stamp) > 12 or abs(int(stamp) - now) > NEW_FOR:
        raise SignatureRefused(f"The message is not new: {name} has to be within {NEW_FOR} s of now.")


def _own(secret: str, stamp: str, body: bytes) -> str:
    return f"sha256={_mac(secret, stamp.encode() + b'.' + body).hex()}"


def _standard(secret: str, identity: str, stamp: str, body: bytes) -> str:
    return f"v1,{base64.b64encode(_mac(secret, f'{identity}.{stamp}.'.encode() + body)).decode()}"


def _mac(secret: str, text: bytes) -> bytes:
    return hmac.new(secret.encode(), text, hashlib.sha256).digest()


def _equal(one: str, other: str) -> bool:
    return hmac.compare_digest(one.encode(), other.encode())

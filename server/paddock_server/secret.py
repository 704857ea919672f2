"""Secrets: made with 256 bits of chance, shown once, kept as a hash.

SHA-256 without salt or stretching is enough here because the secrets are not chosen by people: there is nothing to
guess from.
"""

from __future__ import annotations

import hashlib
import secrets


def make(kind: str) -> str:
    """A fresh secret. ``kind`` stands in front, so that a person sees what it is: pass, key or token."""
    return f"paddock-{kind}-{secrets.token_urlsafe(32)}"


def digest(secret: str) -> str:
    """What is kept of it: 64 hexadecimal digits."""
    return hashlib.sha256(secret.encode()).hexdigest()

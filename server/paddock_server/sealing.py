"""Secrets that have to be known again, sealed for the database: XChaCha20-Poly1305 with a key in a file that only the
server's account can read.

The secret's name goes into the seal, so that a row whose value was swapped for another's cannot be opened.
"""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from nacl.exceptions import CryptoError
from nacl.secret import Aead
from nacl.utils import random

from .data_folder import stored_secret
from .errors import NotNow


def _box() -> Aead:
    key = stored_secret(Path(settings.SECRETS_KEY), lambda: random(Aead.KEY_SIZE).hex())
    return Aead(bytes.fromhex(key))


def seal(name: str, value: str) -> bytes:
    """What the database keeps of a value."""
    return bytes(_box().encrypt(value.encode(), aad=name.encode()))


def unseal(name: str, sealed: bytes) -> str:
    """The value. Raises NotNow where it was sealed with another key, or for another name."""
    try:
        return _box().decrypt(sealed, aad=name.encode()).decode()
    except CryptoError:
        raise NotNow(
            f"The secret {name} cannot be opened, because the server's key for secrets has changed. Enter it again."
        ) from None

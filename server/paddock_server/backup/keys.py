"""The server's keys in a backup: encrypted to a passphrase (Argon2id, XSalsa20-Poly1305), together with the hash of the
manifest, so that a manifest that was changed is noticed."""

from __future__ import annotations

import json
from pathlib import Path

from nacl.exceptions import CryptoError
from nacl.pwhash import argon2id
from nacl.secret import SecretBox
from nacl.utils import random

NAMES = ("secret-key", "secrets-key", "hooks.key", "probes.key")
MIN_PASSPHRASE_LENGTH = 10
_SALT = argon2id.SALTBYTES


class WrongPassphrase(Exception):
    """The passphrase does not open the keys, or they were changed."""


def sealed_keys(data: Path, manifest_hash: str, passphrase: str) -> bytes:
    """The keys of a data folder."""
    keys = {name: (data / name).read_text() for name in NAMES if (data / name).is_file()}
    salt = random(_SALT)
    plain = json.dumps({"manifest": manifest_hash, "keys": keys}).encode()
    return salt + bytes(_box(salt, passphrase).encrypt(plain))


def opened_keys(sealed: bytes, passphrase: str) -> tuple[str, dict[str, str]]:
    """The hash of the manifest that they belong to, and the keys by the names of their files. Raises
    WrongPassphrase."""
    try:
        read = json.loads(_box(sealed[:_SALT], passphrase).decrypt(sealed[_SALT:]))
        return str(read["manifest"]), {name: str(text) for name, text in read["keys"].items() if name in NAMES}
    except (CryptoError, ValueError, KeyError, TypeError):
        raise WrongPassphrase("The passphrase does not open keys.sealed, or the file was changed.") from None


def _box(salt: bytes, passphrase: str) -> SecretBox:
    key = argon2id.kdf(
        SecretBox.KEY_SIZE, passphrase.encode(), salt, argon2id.OPSLIMIT_MODERATE, argon2id.MEMLIMIT_MODERATE
    )
    return SecretBox(key)

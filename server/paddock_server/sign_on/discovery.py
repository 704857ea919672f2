"""What a provider says of itself (OpenID Connect Discovery 1.0), and its keys. Both are remembered for a while."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any

from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from ..people.models import SignOnProvider
from ..process.state import part
from .errors import ProviderTrouble
from .provider_http import demand_safe_address, fetched

REMEMBERED_SECONDS = 600.0
KEYS_RETRY_SECONDS = 20.0
"""Keys are fetched again for an unknown key, at most this often: a stranger's token must not make us call on and on."""


@dataclass(frozen=True)
class Metadata:
    """The addresses of a provider. ``log_out`` is "" where it has none. ``names_issuer``: its answers name it, so that
    one provider's cannot pass for another's (RFC 9207)."""

    issuer: str
    authorization: str
    token: str
    keys: str
    log_out: str
    names_issuer: bool


@dataclass
class _Remembered:
    lock: threading.Lock = field(default_factory=threading.Lock)
    metadata: dict[str, tuple[float, Metadata]] = field(default_factory=dict)
    keys: dict[str, tuple[float, KeySet]] = field(default_factory=dict)


def metadata_of(provider: SignOnProvider, *, fresh: bool = False) -> Metadata:
    """Raises ProviderTrouble where it cannot be had, or names another issuer."""
    remembered = part(_Remembered)
    known = remembered.metadata.get(provider.issuer)
    if known and not fresh and time.monotonic() - known[0] < REMEMBERED_SECONDS:
        return known[1]
    found = fetched(f"{provider.issuer.rstrip('/')}/.well-known/openid-configuration", "configuration")
    if found.get("issuer") != provider.issuer:
        raise ProviderTrouble(
            f"The provider calls itself {str(found.get('issuer'))[:200]!r}, not {provider.issuer!r}. Enter the issuer "
            "exactly as the provider names it."
        )
    metadata = Metadata(
        issuer=provider.issuer,
        authorization=_address(found, "authorization_endpoint"),
        token=_address(found, "token_endpoint"),
        keys=_address(found, "jwks_uri"),
        log_out=_address(found, "end_session_endpoint") if found.get("end_session_endpoint") else "",
        names_issuer=found.get("authorization_response_iss_parameter_supported") is True,
    )
    with remembered.lock:
        remembered.metadata[provider.issuer] = (time.monotonic(), metadata)
    return metadata


def keys_of(metadata: Metadata, key_id: str | None) -> KeySet:
    """The provider's keys. An unknown ``key_id`` makes them be fetched again: providers rotate their keys. Raises
    ProviderTrouble."""
    remembered = part(_Remembered)
    known = remembered.keys.get(metadata.issuer)
    age = time.monotonic() - known[0] if known else 0.0
    if known and age < REMEMBERED_SECONDS and (_has(known[1], key_id) or age < KEYS_RETRY_SECONDS):
        return known[1]
    found = fetched(metadata.keys, "keys")
    try:
        keys = KeySet.import_key_set(_signing_keys(found))
    except (JoseError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise ProviderTrouble(f"The provider's keys cannot be read: {str(error)[:200]}") from None
    with remembered.lock:
        remembered.keys[metadata.issuer] = (time.monotonic(), keys)
    return keys


def forget(issuer: str) -> None:
    """The provider was changed here."""
    remembered = part(_Remembered)
    with remembered.lock:
        remembered.metadata.pop(issuer, None)
        remembered.keys.pop(issuer, None)


def _signing_keys(found: dict[str, Any]) -> Any:
    """Public keys for signatures. A symmetric key among them would let anyone who reads it sign."""
    listed = found.get("keys")
    if not isinstance(listed, list):
        raise ProviderTrouble("The provider's keys have no list of keys.")
    kept = [
        one for one in listed[:50]
        if isinstance(one, dict) and one.get("kty") in ("RSA", "EC", "OKP") and one.get("use", "sig") == "sig"
    ]  # fmt: skip
    if not kept:
        raise ProviderTrouble("The provider has no public key for signatures.")
    return {"keys": kept}


def _has(keys: KeySet, key_id: str | None) -> bool:
    return key_id is None or any(one.kid == key_id for one in keys.keys)


def _address(found: dict[str, Any], name: str) -> str:
    address = found.get(name)
    if not isinstance(address, str):
        raise ProviderTrouble(f"The provider's configuration has no {name}.")
    demand_safe_address(address, name.replace("_", " "))
    return address

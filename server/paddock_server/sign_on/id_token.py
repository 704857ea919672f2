"""Reads an ID token: whose it is, if it is the provider's, for us, fresh, and the answer to our question."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from authlib.oidc.core import CodeIDToken
from joserfc import jws, jwt
from joserfc.errors import JoseError

from .discovery import Metadata, keys_of
from .errors import SignOnRefused

ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA", "Ed25519"]
"""Signatures with public keys alone: neither none, nor a shared secret that could be a public key."""
LEEWAY_SECONDS = 120
MAX_TOKEN_LENGTH = 50_000
MAX_GROUPS = 500
MAX_GROUP_LENGTH = 200


@dataclass(frozen=True)
class Signed:
    """What the token says of the person."""

    subject: str
    name: str
    groups: tuple[str, ...]


def read_id_token(token: object, metadata: Metadata, client_id: str, nonce: str, groups_claim: str) -> Signed:
    """Raises SignOnRefused with what is wrong, and ProviderTrouble where the keys cannot be had."""
    if not isinstance(token, str) or len(token) > MAX_TOKEN_LENGTH:
        raise SignOnRefused("The provider sent no ID token.")
    try:
        header = jws.extract_compact(token.encode()).headers()
        if header.get("alg") not in ALGORITHMS:
            raise SignOnRefused(f"The ID token is signed by {str(header.get('alg'))[:20]!r}, which is not accepted.")
        keys = keys_of(metadata, header.get("kid"))
        decoded = jwt.decode(token, keys, algorithms=ALGORITHMS)
        claims = CodeIDToken(
            decoded.claims,
            decoded.header,
            {"iss": {"essential": True, "value": metadata.issuer}, "aud": {"essential": True, "value": client_id}},
            {"nonce": nonce, "client_id": client_id},
        )
        claims.validate(now=int(time.time()), leeway=LEEWAY_SECONDS)
    except (JoseError, ValueError, TypeError, KeyError, RecursionError) as error:
        raise SignOnRefused(f"The provider's ID token is not valid: {_reason(error)}.") from None
    if claims["iss"] != metadata.issuer or client_id not in _listed(claims["aud"]):
        raise SignOnRefused("The ID token is not from this provider, or not for this server.")
    return _read(claims, groups_claim)


def _read(claims: dict[str, Any], groups_claim: str) -> Signed:
    subject = claims["sub"]
    if not isinstance(subject, str) or not 0 < len(subject) <= 255:
        raise SignOnRefused("The ID token names no person.")
    listed = claims.get(groups_claim, [])
    groups = _listed(listed)
    if len(groups) > MAX_GROUPS:
        raise SignOnRefused(f"The ID token lists more than {MAX_GROUPS} groups.")
    name = claims.get("preferred_username") or claims.get("email") or subject
    if not isinstance(name, str):
        raise SignOnRefused("The ID token names no person.")
    return Signed(subject, name, tuple(one[:MAX_GROUP_LENGTH] for one in groups))


def _listed(value: object) -> list[str]:
    if isinstance(value, str):
        return [value]
    return [one for one in value if isinstance(one, str)] if isinstance(value, list) else []


def _reason(error: Exception) -> str:
    text = (getattr(error, "description", "") or str(error) or type(error).__name__).rstrip(".")
    return text[:1].lower() + text[1:200]

"""Second factors of people who log in with a password: passkeys (WebAuthn level 2), and recovery codes in their stead.

A recovery code has 80 bits of chance, so that a plain hash of it gives nothing away.
"""

from __future__ import annotations

import base64
import json
import secrets
from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest
from django.http.request import split_domain_port
from webauthn import (
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import base64url_to_bytes, bytes_to_base64url
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import PublicKeyCredentialDescriptor

from ..errors import Invalid, NotNow
from ..secret import digest
from .models import Passkey

CHALLENGE = "passkey-challenge"
"""The key of a session's data under which the open challenge stands. It is good for one answer."""
RECOVERY_CODES = 10
MAX_PASSKEYS = 10


def needs_second_factor(user: User) -> bool:
    """Whether a password alone does not let the person in."""
    return user.passkeys.exists()


def registration_options(request: HttpRequest, user: User) -> dict[str, Any]:
    """What a browser needs to make a passkey. Raises NotNow at an address for which browsers make none."""
    options = generate_registration_options(
        rp_id=_relying_party(request),
        rp_name="Yellow Paddock",
        user_name=user.get_username(),
        user_id=str(user.pk).encode(),
        exclude_credentials=_descriptors(user),
    )
    return _begun(request, options_to_json(options), options.challenge)


def new_passkey(request: HttpRequest, user: User, name: str, credential: Mapping[str, Any]) -> Passkey:
    """The passkey that a browser has made, not saved yet. Raises Invalid."""
    verified = _verified(
        verify_registration_response,
        credential,
        expected_challenge=_challenge(request),
        expected_rp_id=_relying_party(request),
        expected_origin=_origins(request),
    )
    return Passkey(
        user=user,
        name=name,
        credential=bytes_to_base64url(verified.credential_id),
        public_key=verified.credential_public_key,
        sign_count=verified.sign_count,
    )


def authentication_options(request: HttpRequest, user: User) -> dict[str, Any]:
    """What a browser needs to use one of the person's passkeys."""
    options = generate_authentication_options(rp_id=_relying_party(request), allow_credentials=_descriptors(user))
    return _begun(request, options_to_json(options), options.challenge)


def used_passkey(request: HttpRequest, user: User, credential: Mapping[str, Any]) -> tuple[Passkey, int]:
    """The person's passkey that signed the challenge, and its new count. Raises Invalid."""
    found = user.passkeys.filter(credential=str(credential.get("id", ""))).first()
    if found is None:
        raise Invalid("This passkey is not one of yours.")
    verified = _verified(
        verify_authentication_response,
        credential,
        expected_challenge=_challenge(request),
        expected_rp_id=_relying_party(request),
        expected_origin=_origins(request),
        credential_public_key=bytes(found.public_key),
        credential_current_sign_count=found.sign_count,
    )
    return found, verified.new_sign_count


def new_recovery_codes() -> list[str]:
    """Codes such as ``kx3q-7pfa-m2vd-e5tn``."""
    return [_code() for _ in range(RECOVERY_CODES)]


def recovery_digest(code: str) -> str:
    """Its hash, however it was typed: in capitals, without hyphens, with spaces."""
    return digest("".join(one for one in code.casefold() if one.isalnum()))


def _code() -> str:
    text = base64.b32encode(secrets.token_bytes(10)).decode().lower()
    return "-".join(text[at : at + 4] for at in range(0, 16, 4))


def _begun(request: HttpRequest, options: str, challenge: bytes) -> dict[str, Any]:
    request.session[CHALLENGE] = bytes_to_base64url(challenge)
    request.session.save()
    found: dict[str, Any] = json.loads(options)
    return found


def _challenge(request: HttpRequest) -> bytes:
    found = request.session.pop(CHALLENGE, "")
    request.session.save()
    if not found:
        raise Invalid("The passkey took too long, or was used twice. Try again.")
    return base64url_to_bytes(found)


def _verified(verify: Any, credential: Mapping[str, Any], **expected: Any) -> Any:
    try:
        return verify(credential=dict(credential), **expected)
    except (WebAuthnException, ValueError, TypeError, KeyError) as error:
        raise Invalid(f"The browser's passkey could not be verified: {str(error)[:200]}") from None


def _descriptors(user: User) -> list[PublicKeyCredentialDescriptor]:
    return [
        PublicKeyCredentialDescriptor(id=base64url_to_bytes(known))
        for known in user.passkeys.values_list("credential", flat=True)
    ]


def _relying_party(request: HttpRequest) -> str:
    domain, _ = split_domain_port(request.get_host())
    if domain.replace(".", "").isdigit() or domain.startswith("["):
        raise NotNow("Browsers make passkeys for names, not for IP addresses. Open this server by its name.")
    return domain


def _origins(request: HttpRequest) -> list[str]:
    """With TLS ended by a proxy, the server itself sees http."""
    return [f"{scheme}://{request.get_host()}" for scheme in ("http", "https")]

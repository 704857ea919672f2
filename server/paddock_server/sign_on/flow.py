"""The two halves of a sign-on: to the provider, and back with a code.

What belongs to one sign-on travels in a signed cookie, which comes back from the provider's site as the session's
cookie would not; nothing of a stranger's is stored.
"""

from __future__ import annotations

import secrets
import threading
import time
from dataclasses import asdict, dataclass
from urllib.parse import urlencode

from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
from authlib.oauth2.rfc7636 import create_s256_code_challenge
from django.core import signing

from ..people.models import SignOnProvider
from ..process.state import part
from ..sealing import unseal
from .discovery import Metadata, metadata_of
from .errors import ProviderTrouble, SignOnRefused
from .id_token import Signed, read_id_token
from .provider_http import fetched

SALT = "paddock.sign-on"
SECONDS = 600
"""For which a person may be at the provider."""
MAX_REMEMBERED = 10_000


@dataclass(frozen=True)
class Pending:
    """One sign-on under way. ``link_to`` is the number of the person who connects an identity to their account, 0 for
    a log-in."""

    provider: int
    state: str
    nonce: str
    verifier: str
    redirect: str
    to: str = "/"
    link_to: int = 0


class _Used:
    """States that came back: each does once."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.states: dict[str, float] = {}


def begin(provider: SignOnProvider, redirect: str, to: str, link_to: int = 0) -> tuple[str, str]:
    """The provider's address for this sign-on, and the cookie. Raises ProviderTrouble."""
    metadata = metadata_of(provider)
    pending = Pending(
        provider.pk, secrets.token_urlsafe(24), secrets.token_urlsafe(24), secrets.token_urlsafe(48), redirect,
        to, link_to,
    )  # fmt: skip
    address = prepare_grant_uri(
        metadata.authorization,
        client_id=provider.client_id,
        response_type="code",
        redirect_uri=redirect,
        scope=_scope(provider),
        state=pending.state,
        nonce=pending.nonce,
        code_challenge=create_s256_code_challenge(pending.verifier),
        code_challenge_method="S256",
    )
    return str(address), signing.dumps(asdict(pending), salt=SALT)


def pending_of(cookie: str | None, state: str) -> Pending:
    """What the cookie remembers, if ``state`` belongs to it and comes back for the first time. Raises SignOnRefused."""
    try:
        pending = Pending(**signing.loads(cookie or "", salt=SALT, max_age=SECONDS))
    except (signing.BadSignature, TypeError):
        raise SignOnRefused(
            "This sign-on was not begun in this browser, or took longer than 10 minutes. Log in again."
        ) from None
    if not secrets.compare_digest(pending.state.encode(), state.encode()):
        raise SignOnRefused("The answer belongs to another sign-on. Log in again.")
    used = part(_Used)
    now = time.monotonic()
    with used.lock:
        used.states = {one: at for one, at in used.states.items() if now - at < SECONDS}
        if state in used.states or len(used.states) >= MAX_REMEMBERED:
            raise SignOnRefused("This answer of the provider was used already. Log in again.")
        used.states[state] = now
    return pending


def redeem(provider: SignOnProvider, pending: Pending, code: str, named_issuer: str | None) -> tuple[Signed, str]:
    """Who signed on, and the ID token. ``named_issuer`` is the ``iss`` of the answer. Raises SignOnRefused and
    ProviderTrouble."""
    metadata = metadata_of(provider)
    if (named_issuer or metadata.names_issuer) and named_issuer != metadata.issuer:
        raise SignOnRefused("The answer comes from another provider than the one that was asked. Log in again.")
    form = {
        "grant_type": "authorization_code",
        "code": code,
        "redirect_uri": pending.redirect,
        "client_id": provider.client_id,
        "code_verifier": pending.verifier,
    }
    secret = client_secret(provider)
    answer = fetched(metadata.token, "token", form, (provider.client_id, secret) if secret else None)
    if "error" in answer:
        why = str(answer.get("error_description") or answer["error"])[:200]
        raise SignOnRefused(f"The provider did not accept the sign-on: {why}.")
    token = answer.get("id_token")
    return read_id_token(token, metadata, provider.client_id, pending.nonce, provider.groups_claim), str(token)


def log_out_address(provider: SignOnProvider, id_token: str, back_to: str) -> str:
    """Where the browser goes to log out at the provider; "" where the provider has no such address, or is away."""
    try:
        metadata: Metadata = metadata_of(provider)
    except ProviderTrouble:
        return ""
    if not metadata.log_out:
        return ""
    asked = {"id_token_hint": id_token, "client_id": provider.client_id, "post_logout_redirect_uri": back_to}
    return f"{metadata.log_out}{'&' if '?' in metadata.log_out else '?'}{urlencode(asked)}"


def client_secret(provider: SignOnProvider) -> str:
    """The provider's client secret, "" where it has none."""
    sealed = bytes(provider.client_secret)
    return unseal(seal_name(provider.issuer), sealed) if sealed else ""


def seal_name(issuer: str) -> str:
    """For which name the secret is sealed."""
    return f"sign-on {issuer}"


def _scope(provider: SignOnProvider) -> str:
    return "openid profile" + (" groups" if provider.groups_claim == "groups" else "")

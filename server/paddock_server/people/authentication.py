"""Bearer tokens for programs (RFC 6750)."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from ..moments import written_date
from ..secret import digest
from .last_seen import note_token
from .models import Token


class BearerAuthentication(BaseAuthentication):
    """``Authorization: Bearer paddock-token-…``"""

    def authenticate(self, request: Request) -> tuple[User, Token] | None:
        """The person whose token this is; None without the header; AuthenticationFailed for a wrong one."""
        parts = get_authorization_header(request).split()
        if not parts or parts[0].lower() != b"bearer":
            return None
        if len(parts) < 2:
            raise AuthenticationFailed("The Authorization header reads: Bearer, one space, the token.")
        given = b"".join(parts[1:]).decode("latin-1")  # a token that was pasted with a space or a line break in it
        tokens = Token.objects.select_related("user__account__owner").order_by()
        found = next(iter(tokens.filter(digest=digest(given))), None)
        if found is None:
            raise AuthenticationFailed("This token is unknown. Make one on your own page, or by `paddock token`.")
        if why := _why_not(found):
            raise AuthenticationFailed(why)
        found.user.acting_token = found  # type: ignore[attr-defined]
        note_token(found, request.META.get("REMOTE_ADDR", ""))
        return found.user, found

    def authenticate_header(self, request: Request) -> str:
        """What a 401 answer asks for."""
        return "Bearer"


def _why_not(token: Token) -> str:
    """Why a token gives no access any more; "" if it does. Only who has the token learns this."""
    if token.revoked_at:
        return f"{token.revoked_by} revoked the token {token.name} on {written_date(token.revoked_at)}."
    if token.ends_at and token.ends_at <= timezone.now():
        return f"The token {token.name} ended on {written_date(token.ends_at)}. Make a new one."
    if not token.user.is_active:
        return f"The account {token.user.get_username()} is disabled."
    return ""


class BearerScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the schema speaks of it."""

    target_class = BearerAuthentication
    name = "token"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        """As OpenAPI wants it."""
        return {"type": "http", "scheme": "bearer"}

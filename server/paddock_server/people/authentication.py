"""Bearer tokens for programs (RFC 6750)."""

from __future__ import annotations

from django.contrib.auth.models import User
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from ..secret import digest
from .models import Token


class BearerAuthentication(BaseAuthentication):
    """``Authorization: Bearer paddock-token-…``"""

    def authenticate(self, request: Request) -> tuple[User, Token] | None:
        """The person whose token this is; None without the header; AuthenticationFailed for a wrong one."""
        parts = get_authorization_header(request).split()
        if not parts or parts[0].lower() != b"bearer":
            return None
        if len(parts) != 2:
            raise AuthenticationFailed("The Authorization header reads: Bearer, one space, the token.")
        tokens = Token.objects.select_related("user").order_by()
        found = next(iter(tokens.filter(digest=digest(parts[1].decode("latin-1")))), None)
        if found is None or not found.user.is_active:
            raise AuthenticationFailed("No such token. `paddock token --user NAME` makes one.")
        return found.user, found

    def authenticate_header(self, request: Request) -> str:
        """What a 401 answer asks for."""
        return "Bearer"


class BearerScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the schema speaks of it."""

    target_class = BearerAuthentication
    name = "token"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        """As OpenAPI wants it."""
        return {"type": "http", "scheme": "bearer"}

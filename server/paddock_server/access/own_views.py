"""Oneself: password, passkeys, sessions, tokens, and how times are shown."""

from __future__ import annotations

import zoneinfo
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.access.roles import Scope

from ..errors import Invalid, NotNow, NotThere
from ..hosts.queries import paddock_called
from ..people.actions.change_own import change_own
from ..people.actions.change_password import change_password
from ..people.actions.end_session import end_other_sessions, end_own_session
from ..people.actions.make_token import make_token, revoke_token
from ..people.actions.passkeys import add_passkey, remove_passkey, renew_recovery_codes
from ..people.actor import Actor, person, signed_in_user
from ..people.models import Role, Token, account_of
from ..people.second_factor import registration_options
from ..people.shown import own_roles
from ..people.views import PasskeyOptionsSerializer, address_of
from ..rest.paging import PagedView
from ..rest.reading import validated
from ..secret import digest
from .people_views import sessions_shown
from .serializers import (
    AddPasskeySerializer,
    ChangeOwnSerializer,
    ChangePasswordSerializer,
    MakeTokenSerializer,
    NewPasskeySerializer,
    NewTokenSerializer,
    OwnSerializer,
    RecoveryCodesSerializer,
    SessionsEndedSerializer,
    TokenSerializer,
)


def person_in_browser(request: Request) -> User:
    """Who is logged in with a session. Raises NotNow for a token: what it could change here would outlive it."""
    user = signed_in_user(request.user)
    if request.auth is not None:
        raise NotNow("Only a person in a browser can do this, not a token.")
    return user


def _own(request: Request) -> Response:
    user = signed_in_user(request.user)
    account = account_of(user)
    key = request.session.session_key
    shown: dict[str, Any] = {
        "name": user.get_username(),
        "email": user.email,
        "roles": own_roles(user),
        "has_password": user.has_usable_password(),
        "password_changed_at": account.password_changed_at,
        "sessions": sessions_shown(user, digest(key) if key else ""),
        "tokens": own_tokens(user.get_username()).filter(revoked_at=None),
        "service_accounts": user.service_accounts.order_by("user__username").values_list("user__username", flat=True),
        "passkeys": user.passkeys.order_by("made_at"),
        "recovery_codes_left": user.recovery_codes.filter(used_at=None).count(),
        "sign_on": user.identities.order_by("provider__name").values_list("provider__name", flat=True),
        "time_zone": account.time_zone,
        "clock_hours": account.clock_hours,
    }
    return Response(OwnSerializer(shown).data)


class OwnView(APIView):
    """Oneself."""

    @extend_schema(responses=OwnSerializer)
    def get(self, request: Request) -> Response:
        """Roles, sessions, tokens, passkeys and settings."""
        return _own(request)

    @extend_schema(request=ChangeOwnSerializer, responses=OwnSerializer)
    def patch(self, request: Request) -> Response:
        """Change the e-mail address, the time zone or the clock."""
        asked = validated(ChangeOwnSerializer, request)
        if asked.get("time_zone") and asked["time_zone"] not in zoneinfo.available_timezones():
            detail = f"There is no time zone {asked['time_zone']}."
            raise Invalid(detail, errors=[{"pointer": "/time_zone", "detail": detail}])
        user = person_in_browser(request)
        change_own(person(user), user, asked)
        return _own(request)


class OwnPasswordView(APIView):
    """One's password."""

    @extend_schema(request=ChangePasswordSerializer, responses=SessionsEndedSerializer)
    def post(self, request: Request) -> Response:
        """Change it. All other sessions end."""
        user = person_in_browser(request)
        asked = validated(ChangePasswordSerializer, request)
        actor, address = person(user), address_of(request)
        ended = change_password(actor, request._request, user, asked["old"], asked["password"], address)
        return Response({"sessions_ended": ended})


class OwnSessionsView(APIView):
    """One's other sessions."""

    @extend_schema(operation_id="me_sessions_end_others", responses={200: SessionsEndedSerializer})
    def delete(self, request: Request) -> Response:
        """End all but this one."""
        user = person_in_browser(request)
        ended = end_other_sessions(person(user), user, request.session.session_key or "")
        return Response({"sessions_ended": ended})


class OwnSessionView(APIView):
    """One of one's sessions."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, key: str) -> Response:
        """End it."""
        user = person_in_browser(request)
        end_own_session(person(user), user, key)
        return Response(status=204)


class PasskeyOptionsView(APIView):
    """Begin to add a passkey."""

    @extend_schema(request=None, responses=PasskeyOptionsSerializer)
    def post(self, request: Request) -> Response:
        """What the browser needs to make one."""
        user = person_in_browser(request)
        return Response({"options": registration_options(request._request, user)})


class PasskeysView(APIView):
    """One's passkeys."""

    @extend_schema(request=AddPasskeySerializer, responses={201: NewPasskeySerializer})
    def post(self, request: Request) -> Response:
        """Add the one that the browser has made. With the first one come recovery codes."""
        user = person_in_browser(request)
        asked = validated(AddPasskeySerializer, request)
        made, codes = add_passkey(person(user), request._request, user, asked["name"], asked["credential"])
        shown = {"id": made.pk, "name": made.name, "made_at": made.made_at, "last_used_at": None}
        return Response(NewPasskeySerializer({**shown, "recovery_codes": codes}).data, status=201)


class PasskeyView(APIView):
    """One passkey."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Remove it. Without any left, the password alone lets one in."""
        user = person_in_browser(request)
        found = user.passkeys.filter(pk=pk).first()
        if found is None:
            raise NotThere("You have no such passkey.")
        remove_passkey(person(user), found)
        return Response(status=204)


class RecoveryCodesView(APIView):
    """One's recovery codes."""

    @extend_schema(request=None, responses={201: RecoveryCodesSerializer})
    def post(self, request: Request) -> Response:
        """Make new ones, which are shown this once. Those before end."""
        user = person_in_browser(request)
        return Response({"recovery_codes": renew_recovery_codes(person(user), user)}, status=201)


def visible_tokens(actor: Actor) -> QuerySet[Token]:
    """One's own tokens and those of one's service accounts; for administrators of everything, all."""
    tokens = Token.objects.select_related("user__account__owner").order_by("user__username", "-made_at")
    return tokens if actor.may(Role.ADMINISTRATOR) else tokens.filter(_owned_by(actor.name))


def own_tokens(name: str) -> QuerySet[Token]:
    """The tokens of a person, and of the service accounts that the person owns."""
    return Token.objects.select_related("user").filter(_owned_by(name)).order_by("user__username", "-made_at")


def _owned_by(name: str) -> Q:
    return Q(user__username=name) | Q(user__account__owner__username=name)


class TokensView(PagedView):
    """Tokens of programs."""

    @extend_schema(responses=TokenSerializer(many=True))
    def get(self, request: Request) -> Response:
        """One's own and those of one's service accounts; for administrators of everything, all."""
        return self.page_of(visible_tokens(person(request.user)), TokenSerializer)

    @extend_schema(request=MakeTokenSerializer, responses={201: NewTokenSerializer})
    def post(self, request: Request) -> Response:
        """Make one for oneself, or for a service account. It is shown this once."""
        actor = person(request.user)
        asked = validated(MakeTokenSerializer, request)
        account = asked["account"].strip() or actor.name
        paddocks = [paddock_called(actor, name).name for name in dict.fromkeys(asked["paddocks"])]
        made, shown_once = make_token(actor, account, asked["name"], Scope(asked["scope"]), paddocks, asked["days"])
        return Response({**TokenSerializer(made).data, "token": shown_once}, status=201)


class RevokeTokenView(APIView):
    """Revoke a token."""

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, pk: int) -> Response:
        """It gives no access from now on."""
        actor = person(request.user)
        found = visible_tokens(actor).filter(pk=pk).first()
        if found is None:
            raise NotThere(f"No token {pk} exists that you may revoke.")
        revoke_token(actor, found)
        return Response(status=204)

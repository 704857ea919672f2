from __future__ import annotations

from typing import Any

from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import Invalid
from ..rest.reading import validated
from .actions.log_in import PENDING, log_in, pending_person
from .actions.passkeys import log_in_with_passkey, log_in_with_recovery_code
from .actor import person
from .models import Role, account_of
from .second_factor import authentication_options


class LoginSerializer(serializers.Serializer[Any]):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=500, trim_whitespace=False)


class PaddockRoleSerializer(serializers.Serializer[Any]):
    paddock = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices)


class SessionSerializer(serializers.Serializer[Any]):
    """``awaits_second_factor``: the password was right; a passkey or a recovery code has to follow."""

    name = serializers.CharField(allow_null=True)
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    paddock_roles = PaddockRoleSerializer(many=True)
    awaits_second_factor = serializers.BooleanField()
    time_zone = serializers.CharField()
    clock_hours = serializers.CharField()


class SecondFactorSerializer(serializers.Serializer[Any]):
    """One of the two: what the browser's passkey signed, or a recovery code."""

    credential = serializers.DictField(required=False)
    recovery_code = serializers.CharField(required=False, max_length=100)


class PasskeyOptionsSerializer(serializers.Serializer[Any]):
    """What ``navigator.credentials`` takes, in JSON (WebAuthn level 2)."""

    options = serializers.DictField()


def session_answer(request: Request) -> Response:
    """Who is logged in."""
    actor = person(request.user)
    is_somebody = request.user.is_authenticated
    account = account_of(request.user) if request.user.is_authenticated else None
    shown = {
        "name": actor.name if is_somebody else None,
        "role": actor.everywhere,
        "paddock_roles": [{"paddock": paddock, "role": role} for paddock, role in actor.paddocks],
        "awaits_second_factor": not is_somebody and PENDING in request.session,
        "time_zone": account.time_zone if account else "",
        "clock_hours": account.clock_hours if account else "",
    }
    return Response(SessionSerializer(shown).data)


def address_of(request: Request) -> str:
    """Where a request comes from."""
    return str(request.META.get("REMOTE_ADDR", ""))


@method_decorator(ensure_csrf_cookie, name="get")
@method_decorator(csrf_protect, name="post")
class SessionView(APIView):
    """Who is logged in; log in. Logging out is the sign-on's, which knows the providers."""

    permission_classes = [AllowAny]

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        """The person who is logged in; ``name`` is null without a session. Sets the cookie that logging in needs."""
        return session_answer(request)

    @extend_schema(request=LoginSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        """Log in."""
        asked = validated(LoginSerializer, request)
        user = log_in(request._request, asked["username"], asked["password"], address_of(request))
        if user is not None:
            request.user = user
        return session_answer(request)


@method_decorator(csrf_protect, name="dispatch")
class SecondFactorView(APIView):
    """The second step of a log-in."""

    permission_classes = [AllowAny]

    @extend_schema(responses=PasskeyOptionsSerializer)
    def get(self, request: Request) -> Response:
        """What the browser needs to use a passkey of the person whose password was right."""
        user = pending_person(request._request)
        return Response({"options": authentication_options(request._request, user)})

    @extend_schema(request=SecondFactorSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        """Log in with a passkey, or with a recovery code."""
        asked = validated(SecondFactorSerializer, request)
        if "credential" in asked:
            request.user = log_in_with_passkey(request._request, asked["credential"], address_of(request))
        elif "recovery_code" in asked:
            request.user = log_in_with_recovery_code(request._request, asked["recovery_code"], address_of(request))
        else:
            raise Invalid("Send a credential or a recovery code.")
        return session_answer(request)

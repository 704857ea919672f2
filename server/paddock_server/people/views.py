from typing import Any

from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from .actions.end_session import end_session
from .actions.log_in import log_in
from .actor import person
from .models import Role


class LoginSerializer(serializers.Serializer[Any]):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=500, trim_whitespace=False)


class PaddockRoleSerializer(serializers.Serializer[Any]):
    paddock = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices)


class SessionSerializer(serializers.Serializer[Any]):
    name = serializers.CharField(allow_null=True)
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    paddock_roles = PaddockRoleSerializer(many=True)


def _session(request: Request) -> Response:
    actor = person(request.user)
    name = actor.name if request.user.is_authenticated else None
    roles = [{"paddock": paddock, "role": role} for paddock, role in actor.paddocks]
    return Response(SessionSerializer({"name": name, "role": actor.everywhere, "paddock_roles": roles}).data)


@method_decorator(ensure_csrf_cookie, name="get")
@method_decorator(csrf_protect, name="post")
class SessionView(APIView):
    """Who is logged in; log in; log out."""

    permission_classes = [AllowAny]

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        """The person who is logged in; ``name`` is null without a session. Sets the cookie that logging in needs."""
        return _session(request)

    @extend_schema(request=LoginSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        """Log in."""
        given = LoginSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        name, password = given.validated_data["username"], given.validated_data["password"]
        user = log_in(request._request, name, password, request.META.get("REMOTE_ADDR", ""))
        request.user = user
        return _session(request)

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Log out."""
        end_session(person(request.user), request._request)
        return Response(status=204)

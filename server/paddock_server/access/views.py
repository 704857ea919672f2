from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import NotThere
from ..hosts.queries import paddock_called
from ..people.actor import Actor, person, signed_in_user
from ..people.models import AccessRequest, Role
from ..rest.paging import PagedView
from ..rest.reading import validated
from .actions.request_access import decide_access, request_access


class AccessRequestSerializer(serializers.ModelSerializer[AccessRequest]):
    """A person asks for a role in a paddock. ``may_decide``: who reads this may grant or decline it."""

    person = serializers.CharField(source="user.username")
    role = serializers.ChoiceField(choices=Role.choices)
    paddock = serializers.CharField(source="paddock.name")
    may_decide = serializers.SerializerMethodField()

    class Meta:
        model = AccessRequest
        fields = ["id", "person", "role", "paddock", "reason", "asked_at", "may_decide"]
        read_only_fields = fields

    def get_may_decide(self, request: AccessRequest) -> bool:
        actor: Actor = self.context["actor"]
        return actor.may(Role.ADMINISTRATOR, request.paddock.name)


class GrantAccessSerializer(serializers.Serializer[Any]):
    """``days`` null grants for good."""

    days = serializers.IntegerField(min_value=1, max_value=366, required=False, allow_null=True, default=None)


class AskAccessSerializer(serializers.Serializer[Any]):
    role = serializers.ChoiceField(choices=[Role.OPERATOR, Role.ADMINISTRATOR])
    paddock = serializers.CharField(max_length=63)
    reason = serializers.CharField(max_length=300)


def visible_requests(actor: Actor) -> QuerySet[AccessRequest]:
    """The open requests that the actor decides, and the actor's own."""
    paddocks = actor.where(Role.ADMINISTRATOR)
    found = AccessRequest.objects.select_related("user", "paddock").filter(decided_at=None)
    return found if paddocks is None else found.filter(Q(paddock__name__in=paddocks) | Q(user__username=actor.name))


class AccessRequestsView(PagedView):
    """Open requests for access; ask for a role."""

    @extend_schema(responses=AccessRequestSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Those that you decide, and your own."""
        actor = person(request.user)
        return self.page_of(visible_requests(actor), AccessRequestSerializer, actor=actor)

    @extend_schema(request=AskAccessSerializer, responses={201: AccessRequestSerializer})
    def post(self, request: Request) -> Response:
        """Ask for a role in a paddock that you may see."""
        actor = person(request.user)
        asked = validated(AskAccessSerializer, request)
        paddock = paddock_called(actor, asked["paddock"])
        made = request_access(actor, signed_in_user(request.user), Role(asked["role"]), paddock, asked["reason"])
        return Response(AccessRequestSerializer(made, context={"actor": actor}).data, status=201)


def _open_request(actor: Actor, pk: int) -> AccessRequest:
    found = visible_requests(actor).filter(pk=pk).first()
    if found is None:
        raise NotThere(f"No open request {pk} exists that you may see.")
    return found


class GrantAccessView(APIView):
    """Grant a request."""

    @extend_schema(request=GrantAccessSerializer, responses={204: None})
    def post(self, request: Request, pk: int) -> Response:
        """For some days, or for good."""
        actor = person(request.user)
        days = validated(GrantAccessSerializer, request)["days"]
        decide_access(actor, _open_request(actor, pk), grant=True, days=days)
        return Response(status=204)


class DeclineAccessView(APIView):
    """Decline a request."""

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        decide_access(actor, _open_request(actor, pk), grant=False)
        return Response(status=204)

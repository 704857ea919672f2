from __future__ import annotations

from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework.generics import get_object_or_404
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..people.actor import person
from ..people.models import Role
from ..rest.reading import validated
from .actions.keep_telling import change_telling, make_telling, remove_telling, send_again, try_out
from .models import Delivery, Telling
from .serializers import (
    ChangeTellingSerializer,
    DeliverySerializer,
    NewTelling,
    NewTellingSerializer,
    TellingPlaceSerializer,
    TellingSerializer,
)

MOST_DELIVERIES = 100


class TellingsView(APIView):
    """Who is told of findings, and what was sent."""

    @extend_schema(responses=TellingPlaceSerializer)
    def get(self, request: Request) -> Response:
        person(request.user).demand(Role.OPERATOR, None, "Seeing who is told of findings")
        sent = Delivery.objects.select_related("telling").prefetch_related("told__finding")[:MOST_DELIVERIES]
        shown = {"rules": Telling.objects.all(), "deliveries": sent, "has_mail": bool(settings.SMTP)}
        return Response(TellingPlaceSerializer(shown).data)

    @extend_schema(request=TellingSerializer, responses={201: NewTellingSerializer})
    def post(self, request: Request) -> Response:
        """Make a rule. For a webhook, the answer is the only place where the secret that signs it is shown."""
        made, secret = make_telling(person(request.user), **validated(TellingSerializer, request))
        return Response(NewTellingSerializer(NewTelling(made, secret)).data, status=201)


class TellingView(APIView):
    """One rule."""

    @extend_schema(request=ChangeTellingSerializer, responses=TellingSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Change it; what is not named stays."""
        telling = get_object_or_404(Telling, pk=pk)
        given = ChangeTellingSerializer(telling, data=request.data, partial=True)
        given.is_valid(raise_exception=True)
        change_telling(person(request.user), telling, **given.validated_data)
        return Response(TellingSerializer(telling).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Remove it, with the history of what it sent."""
        remove_telling(person(request.user), get_object_or_404(Telling, pk=pk))
        return Response(status=204)


class TryOutView(APIView):
    """Send a trial message at once."""

    @extend_schema(request=None, responses={201: DeliverySerializer})
    def post(self, request: Request, pk: int) -> Response:
        made = try_out(person(request.user), get_object_or_404(Telling, pk=pk))
        return Response(DeliverySerializer(made).data, status=201)


class SendAgainView(APIView):
    """Send a message once more that did not arrive."""

    @extend_schema(request=None, responses=DeliverySerializer)
    def post(self, request: Request, pk: int) -> Response:
        delivery = get_object_or_404(Delivery.objects.select_related("telling"), pk=pk)
        send_again(person(request.user), delivery)
        return Response(DeliverySerializer(delivery).data)

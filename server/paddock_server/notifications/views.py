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
from .actions.save_rule import change_rule, make_rule, remove_rule, send_again, try_out
from .models import Delivery, NotificationRule
from .serializers import (
    ChangeRuleSerializer,
    DeliverySerializer,
    NewRule,
    NewRuleSerializer,
    NotificationRuleSerializer,
    NotificationsSerializer,
)

MAX_DELIVERIES = 100


class NotificationRulesView(APIView):
    """The notification rules and the last deliveries."""

    @extend_schema(responses=NotificationsSerializer)
    def get(self, request: Request) -> Response:
        person(request.user).demand(Role.OPERATOR, None, "Seeing notification rules")
        sent = Delivery.objects.select_related("rule").prefetch_related("items__finding")[:MAX_DELIVERIES]
        shown = {"rules": NotificationRule.objects.all(), "deliveries": sent, "has_mail": bool(settings.SMTP)}
        return Response(NotificationsSerializer(shown).data)

    @extend_schema(request=NotificationRuleSerializer, responses={201: NewRuleSerializer})
    def post(self, request: Request) -> Response:
        """Make a rule. For a webhook, the answer is the only place where the secret that signs it is shown."""
        made, secret = make_rule(person(request.user), **validated(NotificationRuleSerializer, request))
        return Response(NewRuleSerializer(NewRule(made, secret)).data, status=201)


class NotificationRuleView(APIView):
    """One rule."""

    @extend_schema(request=ChangeRuleSerializer, responses=NotificationRuleSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Change it; what is not named stays."""
        rule = get_object_or_404(NotificationRule, pk=pk)
        given = ChangeRuleSerializer(rule, data=request.data, partial=True)
        given.is_valid(raise_exception=True)
        change_rule(person(request.user), rule, **given.validated_data)
        return Response(NotificationRuleSerializer(rule).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Delete it with its delivery history."""
        remove_rule(person(request.user), get_object_or_404(NotificationRule, pk=pk))
        return Response(status=204)


class TryOutView(APIView):
    """Send a test message at once."""

    @extend_schema(request=None, responses={201: DeliverySerializer})
    def post(self, request: Request, pk: int) -> Response:
        made = try_out(person(request.user), get_object_or_404(NotificationRule, pk=pk))
        return Response(DeliverySerializer(made).data, status=201)


class SendAgainView(APIView):
    """Retry a failed delivery."""

    @extend_schema(request=None, responses=DeliverySerializer)
    def post(self, request: Request, pk: int) -> Response:
        delivery = get_object_or_404(Delivery.objects.select_related("rule"), pk=pk)
        send_again(person(request.user), delivery)
        return Response(DeliverySerializer(delivery).data)

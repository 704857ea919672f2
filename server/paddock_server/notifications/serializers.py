from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit
from zoneinfo import available_timezones

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from rest_framework import serializers

from paddock_core.findings import BY_CODE
from paddock_core.quiet_hours import QuietHours

from ..health.models import SEVERITIES
from ..rest.shown import Shown
from .models import DELIVERY_STATES, EVENTS, KINDS, Delivery, NotificationRule

MINUTES: dict[str, Any] = {"min_value": 0, "max_value": 24 * 60 - 1, "required": False, "allow_null": True}


class NotificationRuleSerializer(serializers.ModelSerializer[Any]):
    """A notification rule: which findings it sends, where, and when not. The secret of a webhook is not included."""

    kind = serializers.ChoiceField(choices=KINDS)
    severity = serializers.ChoiceField(
        choices=SEVERITIES, required=False, help_text="The lowest severity that is sent."
    )
    paddocks = serializers.ListField(
        child=serializers.CharField(max_length=63), max_length=200, required=False, help_text="None for all."
    )
    codes = serializers.ListField(
        child=serializers.ChoiceField(choices=[(code, code) for code in BY_CODE]),
        max_length=100,
        required=False,
        help_text="Kinds of findings, none for all.",
    )
    gather_seconds = serializers.IntegerField(min_value=0, max_value=3600, required=False)
    quiet_from = serializers.IntegerField(**MINUTES, help_text="Minutes after midnight.")
    quiet_to = serializers.IntegerField(**MINUTES, help_text="Minutes after midnight.")
    quiet_days = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=6),
        max_length=7,
        required=False,
        help_text="The weekdays on which quiet hours begin; 0 is Monday.",
    )

    class Meta:
        model = NotificationRule
        fields = [
            "id",
            "name",
            "kind",
            "target",
            "severity",
            "paddocks",
            "codes",
            "notifies_when_closed",
            "gather_seconds",
            "quiet_from",
            "quiet_to",
            "quiet_days",
            "zone",
            "urgent_anyway",
            "is_on",
            "made_by",
            "made_at",
        ]
        read_only_fields = ["made_by", "made_at"]

    def validate_zone(self, zone: str) -> str:
        if zone not in available_timezones():
            raise serializers.ValidationError(f'"{zone}" is not a time zone. Examples: UTC, Europe/Lisbon.')
        return zone

    def validate(self, given: dict[str, Any]) -> dict[str, Any]:
        kind = given.get("kind", getattr(self.instance, "kind", ""))
        if "target" in given and (why := why_not_target(kind, given["target"])):
            raise serializers.ValidationError({"target": why})
        for name in ("quiet_from", "quiet_to"):
            other = {"quiet_from": "quiet_to", "quiet_to": "quiet_from"}[name]
            if given.get(name) is not None and given.get(other, getattr(self.instance, other, None)) is None:
                raise serializers.ValidationError({other: "Quiet hours need a start and an end."})
        begins, ends, days = (
            given.get(name, getattr(self.instance, name, None)) for name in ("quiet_from", "quiet_to", "quiet_days")
        )
        if begins is not None and ends is not None and days is not None:
            try:
                QuietHours(begins, ends, days)
            except ValueError as error:
                raise serializers.ValidationError({"quiet_from": f"{error}."}) from None
        return given


def why_not_target(kind: str, target: str) -> str:
    """Why nothing can be sent there, "" where it can."""
    if kind == "mail":
        try:
            validate_email(target)
        except ValidationError:
            return f'"{target}" is not an e-mail address.'
        return ""
    parts = urlsplit(target)
    if parts.scheme not in ("http", "https") or not parts.hostname or re.search(r"\s", target):
        return f'"{target}" is not a webhook address. It must start with http:// or https://.'
    return "Remove the user name and password: the address is shown to others." if parts.username else ""


class ChangeRuleSerializer(NotificationRuleSerializer):
    """What may be changed of a rule: name and kind stay."""

    name = serializers.CharField(read_only=True)
    kind = serializers.ChoiceField(choices=KINDS, read_only=True)


@dataclass(frozen=True)
class NewRule(Shown[NotificationRule]):
    """A rule just made, with the secret that signs its webhooks."""

    secret: str


class NewRuleSerializer(NotificationRuleSerializer):
    """A rule just made, with the secret that signs its webhooks: the only time that it is shown; "" for mail."""

    secret = serializers.CharField(allow_blank=True)

    class Meta(NotificationRuleSerializer.Meta):
        fields = [*NotificationRuleSerializer.Meta.fields, "secret"]


class DeliveryItemSerializer(serializers.Serializer[Any]):
    finding = serializers.IntegerField(source="finding_id")
    title = serializers.CharField(source="finding.title")
    event = serializers.ChoiceField(choices=EVENTS)


class DeliverySerializer(serializers.ModelSerializer[Delivery]):
    """One delivery and its result."""

    rule = serializers.CharField(source="rule.name")
    kind = serializers.CharField(source="rule.kind")
    target = serializers.CharField(source="rule.target")
    state = serializers.ChoiceField(choices=DELIVERY_STATES)
    items = DeliveryItemSerializer(many=True)

    class Meta:
        model = Delivery
        fields = [
            "id",
            "rule",
            "kind",
            "target",
            "state",
            "due_at",
            "tries",
            "trouble",
            "subject",
            "made_at",
            "sent_at",
            "items",
        ]
        read_only_fields = fields


class NotificationsSerializer(serializers.Serializer[Any]):
    """The rules, the last deliveries, and whether e-mail is set up."""

    rules = NotificationRuleSerializer(many=True)
    deliveries = DeliverySerializer(many=True)
    has_mail = serializers.BooleanField()

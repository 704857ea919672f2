"""Queues an opened or closed finding for the notification rules that cover it."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.utils import timezone

from paddock_core.findings import Severity
from paddock_core.findings.finding import ORDER
from paddock_core.quiet_hours import QuietHours

from ...health.models import Finding
from .. import deliveries
from ..models import Delivery, DeliveryItem, NotificationRule

REPEAT_INTERVAL = timedelta(hours=1)
"""A finding that opens and closes repeatedly is sent at most once per hour; flapping is a finding of its own."""


def queue(finding: Finding, event: str) -> None:
    """``event`` is opened or closed. Called in the transaction in which the finding opens or closes."""
    for rule in NotificationRule.objects.filter(is_on=True):
        if wants(rule, finding) and _is_news(rule, finding, event):
            _gather(rule, finding, event)


def wants(rule: NotificationRule, finding: Finding) -> bool:
    """Whether the rule covers the finding."""
    return (
        ORDER[Severity(finding.severity)] <= ORDER[Severity(rule.severity)]
        and (not rule.paddocks or finding.paddock in rule.paddocks)
        and (not rule.codes or finding.code in rule.codes)
    )


def _is_news(rule: NotificationRule, finding: Finding, event: str) -> bool:
    items = DeliveryItem.objects.filter(delivery__rule=rule)
    if event == "closed":
        return rule.notifies_when_closed and items.filter(finding=finding, event="opened").exists()
    since = timezone.now() - REPEAT_INTERVAL
    return not items.filter(finding__key=finding.key, event="opened", at__gte=since).exists()


def _gather(rule: NotificationRule, finding: Finding, event: str) -> None:
    now = timezone.now()
    due = due_at(rule, now, finding.severity)
    delivery = Delivery.objects.filter(rule=rule, state="waiting", tries=0, due_at__gt=now).first()
    if delivery is None:
        delivery = Delivery.objects.create(rule=rule, due_at=due)
    elif due < delivery.due_at:
        delivery.due_at = due
        delivery.save(update_fields=["due_at"])
    DeliveryItem.objects.create(delivery=delivery, finding=finding, event=event, at=now)
    deliveries.wake_after_commit()


def due_at(rule: NotificationRule, now: datetime, severity: str) -> datetime:
    """When a message that starts collecting at ``now`` is sent."""
    due = now + timedelta(seconds=rule.gather_seconds)
    quiet = quiet_hours(rule)
    if quiet is None or (rule.urgent_anyway and severity == Severity.URGENT):
        return due
    return quiet.end_of_quiet(due.astimezone(ZoneInfo(rule.zone)))


def quiet_hours(rule: NotificationRule) -> QuietHours | None:
    """The rule's quiet hours; None where it has none."""
    if rule.quiet_from is None or rule.quiet_to is None or not rule.quiet_days:
        return None
    return QuietHours(rule.quiet_from, rule.quiet_to, frozenset(rule.quiet_days))

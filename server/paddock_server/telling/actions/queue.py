"""Puts a finding's opening or closing into the messages of the rules that tell it."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.utils import timezone

from paddock_core.findings import Severity
from paddock_core.findings.finding import ORDER
from paddock_core.quiet_hours import QuietHours

from ...health.models import Finding
from .. import deliveries
from ..models import Delivery, Telling, Told

NOT_AGAIN_WITHIN = timedelta(hours=1)
"""A trouble that comes and goes is told once an hour at most; its coming and going is another finding."""


def queue(finding: Finding, event: str) -> None:
    """``event`` is opened or closed. Called in the transaction in which the finding opens or closes."""
    for telling in Telling.objects.filter(is_on=True):
        if wants(telling, finding) and _is_news(telling, finding, event):
            _gather(telling, finding, event)


def wants(telling: Telling, finding: Finding) -> bool:
    """Whether the rule tells such a finding."""
    return (
        ORDER[Severity(finding.severity)] <= ORDER[Severity(telling.severity)]
        and (not telling.paddocks or finding.paddock in telling.paddocks)
        and (not telling.codes or finding.code in telling.codes)
    )


def _is_news(telling: Telling, finding: Finding, event: str) -> bool:
    told = Told.objects.filter(delivery__telling=telling)
    if event == "closed":
        return telling.tells_ends and told.filter(finding=finding, event="opened").exists()
    since = timezone.now() - NOT_AGAIN_WITHIN
    return not told.filter(finding__key=finding.key, event="opened", at__gte=since).exists()


def _gather(telling: Telling, finding: Finding, event: str) -> None:
    now = timezone.now()
    due = due_at(telling, now, finding.severity)
    delivery = Delivery.objects.filter(telling=telling, state="waiting", tries=0, due_at__gt=now).first()
    if delivery is None:
        delivery = Delivery.objects.create(telling=telling, due_at=due)
    elif due < delivery.due_at:
        delivery.due_at = due
        delivery.save(update_fields=["due_at"])
    Told.objects.create(delivery=delivery, finding=finding, event=event, at=now)
    deliveries.wake_after_commit()


def due_at(telling: Telling, now: datetime, severity: str) -> datetime:
    """When a message that begins to be gathered ``now`` goes out."""
    due = now + timedelta(seconds=telling.gather_seconds)
    quiet = quiet_hours(telling)
    if quiet is None or (telling.urgent_anyway and severity == Severity.URGENT):
        return due
    return quiet.end_of_quiet(due.astimezone(ZoneInfo(telling.zone)))


def quiet_hours(telling: Telling) -> QuietHours | None:
    """The rule's quiet hours; None where it has none."""
    if telling.quiet_from is None or telling.quiet_to is None or not telling.quiet_days:
        return None
    return QuietHours(telling.quiet_from, telling.quiet_to, frozenset(telling.quiet_days))

"""Prepares a due message and records its delivery."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from paddock_core.findings.lifetime import is_quiet
from paddock_core.quiet_hours import next_try

from ...changes import announce
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ..messages import body_of, subject_of, text_of
from ..models import Delivery, DeliveryItem

MAX_TRIES = 12
"""After this many tries, about four hours, the server gives the message up."""


@action
def prepare(pk: int) -> Delivery | None:
    """The message as it is sent; None if every finding in it has closed, or was acknowledged or snoozed."""
    delivery = Delivery.objects.select_related("rule").get(pk=pk)
    if delivery.state != "waiting":
        return None
    if not delivery.body:
        items = _still_news(list(delivery.items.select_related("finding")))
        if not items:
            delivery.state = "not needed"
            delivery.save(update_fields=["state"])
            return None
        delivery.subject = subject_of(items)
        delivery.body = text_of(items) if delivery.rule.kind == "mail" else body_of(items)
    delivery.tries += 1
    delivery.save(update_fields=["tries", "subject", "body"])
    return delivery


def _still_news(items: list[DeliveryItem]) -> list[DeliveryItem]:
    ended = {one.finding_id for one in items if one.event == "closed"}
    begun = {one.finding_id for one in items if one.event == "opened"}
    now = timezone.now().timestamp()
    kept = []
    for one in items:
        finding = one.finding
        snoozed = finding.snoozed_until.timestamp() if finding.snoozed_until else None
        aside = is_quiet(now, finding.acknowledged_at is not None, snoozed)
        if not (one.finding_id in ended & begun or (one.event == "opened" and aside)):
            kept.append(one)
    return kept


@action
def note_sent(pk: int) -> None:
    """It arrived."""
    delivery = Delivery.objects.select_related("rule").get(pk=pk)
    delivery.state, delivery.sent_at, delivery.trouble = "sent", timezone.now(), ""
    delivery.save(update_fields=["state", "sent_at", "trouble"])
    announce("notification rule", delivery.rule_id)


@action
def note_failure(pk: int, why: str) -> None:
    """The message did not arrive: schedules a retry, or gives up."""
    delivery = Delivery.objects.select_related("rule").get(pk=pk)
    delivery.trouble = why[:500]
    if delivery.tries >= MAX_TRIES:
        delivery.state = "given up"
        write(SERVER, "gave up notifying", "rule", delivery.rule.name, details={"why": why[:300]})
    else:
        delivery.due_at = timezone.now() + timedelta(seconds=next_try(delivery.tries))
    delivery.save(update_fields=["trouble", "state", "due_at"])
    announce("notification rule", delivery.rule_id)

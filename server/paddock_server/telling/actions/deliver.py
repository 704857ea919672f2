"""Prepares a message that is due, and writes down what became of it."""

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
from ..models import Delivery, Told

MOST_TRIES = 12
"""After these, about four hours, a message is given up: by then it is history."""


@action
def prepare(pk: int) -> Delivery | None:
    """The message as it goes out; None where nothing is left to tell: what opened has closed again meanwhile, or
    somebody has put it aside."""
    delivery = Delivery.objects.select_related("telling").get(pk=pk)
    if delivery.state != "waiting":
        return None
    if not delivery.body:
        told = _still_news(list(delivery.told.select_related("finding")))
        if not told:
            delivery.state = "not needed"
            delivery.save(update_fields=["state"])
            return None
        delivery.subject = subject_of(told)
        delivery.body = text_of(told) if delivery.telling.kind == "mail" else body_of(told)
    delivery.tries += 1
    delivery.save(update_fields=["tries", "subject", "body"])
    return delivery


def _still_news(told: list[Told]) -> list[Told]:
    ended = {one.finding_id for one in told if one.event == "closed"}
    begun = {one.finding_id for one in told if one.event == "opened"}
    now = timezone.now().timestamp()
    kept = []
    for one in told:
        finding = one.finding
        snoozed = finding.snoozed_until.timestamp() if finding.snoozed_until else None
        aside = is_quiet(now, finding.acknowledged_at is not None, snoozed)
        if not (one.finding_id in ended & begun or (one.event == "opened" and aside)):
            kept.append(one)
    return kept


@action
def note_sent(pk: int) -> None:
    """It arrived."""
    delivery = Delivery.objects.select_related("telling").get(pk=pk)
    delivery.state, delivery.sent_at, delivery.trouble = "sent", timezone.now(), ""
    delivery.save(update_fields=["state", "sent_at", "trouble"])
    announce("telling", delivery.telling_id)


@action
def note_failure(pk: int, why: str) -> None:
    """It did not: it is tried again later, or given up."""
    delivery = Delivery.objects.select_related("telling").get(pk=pk)
    delivery.trouble = why[:500]
    if delivery.tries >= MOST_TRIES:
        delivery.state = "given up"
        write(SERVER, "gave up telling", "rule", delivery.telling.name, details={"why": why[:300]})
    else:
        delivery.due_at = timezone.now() + timedelta(seconds=next_try(delivery.tries))
    delivery.save(update_fields=["trouble", "state", "due_at"])
    announce("telling", delivery.telling_id)

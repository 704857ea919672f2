"""Creates, changes and deletes notification rules; sends test messages; retries failed deliveries."""

from __future__ import annotations

import json

from django.utils import timezone

from ... import secret
from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...sealing import seal
from ...storage import action
from .. import deliveries
from ..messages import EVENT_TYPE
from ..models import Delivery, NotificationRule

FIELDS = ("target", "severity", "paddocks", "codes", "notifies_when_closed", "gather_seconds", "quiet_from", "quiet_to",
          "quiet_days", "zone", "urgent_anyway", "is_on")  # fmt: skip


WHAT = "Changing notification rules"


@action
@requires(Role.ADMINISTRATOR, WHAT)
def make_rule(actor: Actor, name: str, kind: str, **wanted: object) -> tuple[NotificationRule, str]:
    """The rule, and the secret that signs its webhooks, shown this once; "" for mail."""
    signing = secret.make("webhook") if kind == "webhook" else ""
    rule = NotificationRule(name=name, kind=kind, made_by=actor.name, **wanted)
    rule.sealed = seal(rule.sealed_for, signing) if signing else b""
    rule.save()
    write(actor, "made", "rule", name, details={"kind": kind, "target": rule.target})
    announce("notification rule", rule.pk)
    return rule, signing


@action
@requires(Role.ADMINISTRATOR, WHAT)
def change_rule(actor: Actor, rule: NotificationRule, **wanted: object) -> None:
    """``wanted`` has any of FIELDS."""
    changed = {
        name: {"from": getattr(rule, name), "to": wanted[name]}
        for name in FIELDS
        if name in wanted and wanted[name] != getattr(rule, name)
    }
    for name in changed:
        setattr(rule, name, wanted[name])
    if changed:
        rule.save(update_fields=list(changed))
        write(actor, "changed", "rule", rule.name, details=changed)
        announce("notification rule", rule.pk)


@action
@requires(Role.ADMINISTRATOR, WHAT)
def remove_rule(actor: Actor, rule: NotificationRule) -> None:
    """Deletes its delivery history too; the logbook entries stay."""
    write(actor, "removed", "rule", rule.name, details={"kind": rule.kind, "target": rule.target})
    rule.delete()
    announce("notification rule", "")


@action
@requires(Role.ADMINISTRATOR, WHAT)
def try_out(actor: Actor, rule: NotificationRule) -> Delivery:
    """Sends a test message at once."""
    sentence = f'This is a test of the rule "{rule.name}", sent by {actor.name}. Nothing is wrong.'
    body = f"{sentence}\n"
    if rule.kind == "webhook":
        now = timezone.now()
        trial = {"specversion": "1.0", "id": f"trial-{now.timestamp():.6f}", "source": "/yellow-paddock",
                 "type": f"{EVENT_TYPE}.trial", "time": now.isoformat(), "data": {"sentence": sentence}}  # fmt: skip
        body = json.dumps([trial])
    made = Delivery.objects.create(
        rule=rule, due_at=timezone.now(), subject="Test message from Yellow Paddock", body=body
    )
    write(actor, "tested", "rule", rule.name)
    deliveries.wake_after_commit()
    return made


@action
@requires(Role.ADMINISTRATOR, WHAT)
def send_again(actor: Actor, delivery: Delivery) -> None:
    """Tries once more at once. Raises NotNow for a message that has arrived."""
    if delivery.state in ("sent", "not needed"):
        raise NotNow(f"This message is {delivery.state}.")
    delivery.state, delivery.due_at, delivery.tries = "waiting", timezone.now(), 0
    delivery.save(update_fields=["state", "due_at", "tries"])
    write(actor, "sent again", "message", f"{delivery.rule.name} {delivery.pk}")
    deliveries.wake_after_commit()

"""Makes, changes and removes rules of telling; sends a trial message; tries a failed one again."""

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
from ..models import Delivery, Telling

FIELDS = ("target", "severity", "paddocks", "codes", "tells_ends", "gather_seconds", "quiet_from", "quiet_to",
          "quiet_days", "zone", "urgent_anyway", "is_on")  # fmt: skip


WHAT = "Saying who is told of findings"


@action
@requires(Role.ADMINISTRATOR, WHAT)
def make_telling(actor: Actor, name: str, kind: str, **wanted: object) -> tuple[Telling, str]:
    """The rule, and the secret that signs its webhooks, shown this once; "" for mail."""
    signing = secret.make("webhook") if kind == "webhook" else ""
    telling = Telling(name=name, kind=kind, made_by=actor.name, **wanted)
    telling.sealed = seal(telling.sealed_for, signing) if signing else b""
    telling.save()
    write(actor, "made", "rule", name, details={"kind": kind, "target": telling.target})
    announce("telling", telling.pk)
    return telling, signing


@action
@requires(Role.ADMINISTRATOR, WHAT)
def change_telling(actor: Actor, telling: Telling, **wanted: object) -> None:
    """``wanted`` has any of FIELDS."""
    changed = {
        name: {"from": getattr(telling, name), "to": wanted[name]}
        for name in FIELDS
        if name in wanted and wanted[name] != getattr(telling, name)
    }
    for name in changed:
        setattr(telling, name, wanted[name])
    if changed:
        telling.save(update_fields=list(changed))
        write(actor, "changed", "rule", telling.name, details=changed)
        announce("telling", telling.pk)


@action
@requires(Role.ADMINISTRATOR, WHAT)
def remove_telling(actor: Actor, telling: Telling) -> None:
    """The history of what it sent goes with it; the logbook keeps that it was there."""
    write(actor, "removed", "rule", telling.name, details={"kind": telling.kind, "target": telling.target})
    telling.delete()
    announce("telling", "")


@action
@requires(Role.ADMINISTRATOR, WHAT)
def try_out(actor: Actor, telling: Telling) -> Delivery:
    """Sends a message that says that it is a trial, at once."""
    said = f'This is a trial of the rule "{telling.name}", asked for by {actor.name}. Nothing is wrong.'
    body = f"{said}\n"
    if telling.kind == "webhook":
        now = timezone.now()
        trial = {"specversion": "1.0", "id": f"trial-{now.timestamp():.6f}", "source": "/yellow-paddock",
                 "type": f"{EVENT_TYPE}.trial", "time": now.isoformat(), "data": {"sentence": said}}  # fmt: skip
        body = json.dumps([trial])
    made = Delivery.objects.create(
        telling=telling, due_at=timezone.now(), subject="A trial of Yellow Paddock", body=body
    )
    write(actor, "tried out", "rule", telling.name)
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
    write(actor, "sent again", "message", f"{delivery.telling.name} {delivery.pk}")
    deliveries.wake_after_commit()

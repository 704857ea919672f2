"""Changes what a paddock's fence says: its purpose, from where its agents may call, whether passes admit at once."""

from __future__ import annotations

from django.db import transaction

from ...link import feed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ..models import Paddock


@transaction.atomic
def change_paddock(actor: Actor, paddock: Paddock, **wanted: object) -> None:
    """``wanted`` has any of ``purpose``, ``networks`` and ``admits_at_once``; what is not named stays."""
    actor.demand(Role.ADMINISTRATOR, paddock.name, "Changing a paddock")
    changed = {}
    for field in ("purpose", "networks", "admits_at_once"):
        before = getattr(paddock, field)
        if field in wanted and wanted[field] != before:
            changed[field] = {"from": before, "to": wanted[field]}
            setattr(paddock, field, wanted[field])
    if not changed:
        return
    paddock.save(update_fields=list(changed))
    write(actor, "changed", "paddock", paddock.name, paddock.name, **changed)
    feed.tell("paddock", paddock.name, paddock.name)

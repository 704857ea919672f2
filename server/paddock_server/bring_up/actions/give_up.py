"""Cancels a bring-up. Its pass is revoked unless other sheets use it. A host that already joined stays."""

from __future__ import annotations

from django.utils import timezone

from ...changes import announce
from ...errors import NotNow
from ...hosts.actions.revoke_pass import revoke_pass
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import BringUp


@action
@requires(Role.ADMINISTRATOR, "Giving up a bring-up", of="sheet.paddock.name")
def give_up(actor: Actor, sheet: BringUp) -> None:
    """Raises NotNow for one that was given up already."""
    if sheet.given_up_at:
        raise NotNow("This bring-up was given up already.")
    sheet.given_up_at = timezone.now()
    sheet.save(update_fields=["given_up_at"])
    others = BringUp.objects.filter(entry_pass=sheet.entry_pass, given_up_at=None, host=None)
    if sheet.entry_pass and sheet.entry_pass.revoked_at is None and not others.exists():
        revoke_pass(actor, sheet.entry_pass)
    write(actor, "no longer expected", "host", str(sheet), sheet.paddock.name)
    announce("bring-up", sheet.pk, sheet.paddock.name)

"""Stops an entry pass: no agent joins with it any more. Those that have joined stay."""

from __future__ import annotations

from django.utils import timezone

from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import EntryPass


@action
@requires(Role.ADMINISTRATOR, "Revoking an entry pass", of="entry_pass.paddock.name")
def revoke_pass(actor: Actor, entry_pass: EntryPass) -> None:
    """Raises NotNow for one that is revoked already."""
    if entry_pass.revoked_at:
        raise NotNow(f"The pass {entry_pass.name} was revoked already.")
    entry_pass.revoked_at = timezone.now()
    entry_pass.save(update_fields=["revoked_at"])
    write(actor, "revoked", "pass", entry_pass.name, entry_pass.paddock.name)
    announce("pass", entry_pass.pk, entry_pass.paddock.name)


def end_spare_pass(entry_pass: EntryPass) -> None:
    """The server revokes a pass that is not needed any more and would still let a machine in."""
    if entry_pass.revoked_at is None and entry_pass.used < entry_pass.uses:
        revoke_pass(SERVER, entry_pass)

"""A new command for a sheet: its pass is replaced, and the old one dies. Taken up again, if it was given up."""

from __future__ import annotations

from ...changes import announce
from ...errors import NotNow
from ...hosts.actions.make_pass import make_pass
from ...hosts.actions.replace_pass import replace_pass
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import BringUp


@action
@requires(Role.ADMINISTRATOR, "Bringing in a host", of="sheet.paddock.name")
def renew(actor: Actor, sheet: BringUp) -> str:
    """The new pass's secret. Raises NotNow for a machine that has joined already: it needs no pass any more."""
    if sheet.host_id:
        raise NotNow(f"{sheet.host} has joined already and needs no pass any more.")
    if sheet.entry_pass:
        old = sheet.entry_pass
        made, secret = replace_pass(actor, old)
        BringUp.objects.filter(entry_pass=old, host=None).update(entry_pass=made)
    else:
        made, secret = make_pass(actor, sheet.paddock, f"for {sheet}", 24, 1, tuple(sheet.labels), sheet.slots)
    sheet.entry_pass, sheet.given_up_at = made, None
    sheet.save(update_fields=["entry_pass", "given_up_at"])
    announce("bring-up", sheet.pk, sheet.paddock.name)
    return secret

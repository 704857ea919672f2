"""Ties a sheet to a machine that is a host already: key, name and labels stay, and the sheet follows the repair."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.bring_up import BringUpStep

from ...changes import announce
from ...errors import NotNow
from ...hosts.actions.revoke_pass import end_spare_pass
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import agent_of
from ...storage import action
from ..models import BringUp, ReportedStep


@action
def note_known(sheet: BringUp, host: Host) -> None:
    """Raises NotNow for a sheet of another paddock or another host. The pass of the sheet is revoked, since it is not
    needed."""
    if sheet.host_id == host.pk:
        return
    if sheet.host_id or sheet.paddock_id != host.paddock_id:
        raise NotNow(f"This bring-up sheet is not for {host.name}, a host in {host.paddock.name}.")
    now = timezone.now()
    sheet.host = host
    sheet.repairs = True
    sheet.save(update_fields=["host", "repairs"])
    if sheet.entry_pass and not sheet.batch:
        end_spare_pass(sheet.entry_pass)
    detail = f"This machine is {host.name} already; its key, name and labels stay."
    ReportedStep.objects.update_or_create(
        bring_up=sheet,
        step=BringUpStep.JOIN.value,
        defaults={"began_at": now, "ended_at": now, "failed": False, "found": detail, "remedy": [], "checks": []},
    )
    write(agent_of(host.name), "installs again", "host", host.name, host.paddock.name, {"sheet": sheet.pk})
    announce("bring-up", sheet.pk, host.paddock.name)

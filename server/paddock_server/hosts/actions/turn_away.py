"""Turns a host away from the gate: its key dies, its record stays, its name is free again."""

from __future__ import annotations

from django.utils import timezone

from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..events import keys_ended
from ..models import Host


@action
@requires(Role.ADMINISTRATOR, "Turning a host away", of="host.paddock.name")
def turn_away(actor: Actor, host: Host, reason: str = "") -> None:
    """Raises NotNow for a host that does not stand at the gate."""
    if host.standing != Host.Standing.AT_THE_GATE:
        raise NotNow(f"{host.name} does not stand at the gate: it was {host.standing}. A host inside is held instead.")
    host.standing = Host.Standing.TURNED_AWAY
    host.key_digest = host.watch_digest = None
    host.decided_at, host.decided_by = timezone.now(), actor.name
    host.save(update_fields=["standing", "key_digest", "watch_digest", "decided_at", "decided_by"])
    keys_ended.send(host)
    write(actor, "turned away", "host", host.name, host.paddock.name, {"reason": reason})
    announce("host", host.name, host.paddock.name)
    connections.dismiss(host.pk, f"The server turned {host.name} away{': ' + reason if reason else ''}.")

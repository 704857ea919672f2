"""Lets a host in from the gate: from now on jobs may run on it."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from paddock_agent import wire

from ...bring_up.actions.prove import prove_if_ready
from ...errors import NotNow
from ...link import connections, feed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...work import dispatcher
from ..models import Host


@transaction.atomic
def admit(actor: Actor, host: Host, reason: str = "") -> None:
    """Raises NotNow for a host that does not stand at the gate."""
    actor.demand(Role.ADMINISTRATOR, host.paddock.name, "Admitting a host")
    if host.standing != Host.Standing.AT_THE_GATE:
        raise NotNow(f"{host.name} does not stand at the gate: it was {host.standing}.")
    host.standing = Host.Standing.ADMITTED
    host.decided_at, host.decided_by = timezone.now(), actor.name
    host.save(update_fields=["standing", "decided_at", "decided_by"])
    write(actor, "admitted", "host", host.name, host.paddock.name, **({"reason": reason} if reason else {}))
    feed.tell("host", host.name, host.paddock.name)
    connections.send(host.pk, wire.Admitted())
    prove_if_ready(host)
    dispatcher.wake_after_commit()

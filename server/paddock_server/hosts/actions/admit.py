"""Lets a host in from the gate: from now on jobs may run on it."""

from __future__ import annotations

from django.utils import timezone

from paddock_agent import wire

from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..events import admitted
from ..labels import clean_labels
from ..models import Host


@action
@requires(Role.ADMINISTRATOR, "Admitting a host", of="host.paddock.name")
def admit(actor: Actor, host: Host, reason: str = "", as_asked: bool = False) -> None:
    """With ``as_asked`` it gets the labels and slots that it asked for at joining, else only those of its pass. Raises
    NotNow for a host that does not stand at the gate."""
    if host.standing != Host.Standing.AT_THE_GATE:
        raise NotNow(f"{host.name} does not stand at the gate: it was {host.standing}.")
    host.standing = Host.Standing.ADMITTED
    host.decided_at, host.decided_by = timezone.now(), actor.name
    given = _give_asked(host) if as_asked else {}
    host.asked_labels, host.asked_slots = [], 0
    # Its agent may be connecting at this moment: keep what the link has just written.
    host.save(update_fields=["standing", "decided_at", "decided_by", "labels", "slots", "asked_labels", "asked_slots"])
    details = {**given, **({"reason": reason} if reason else {})}
    write(actor, "admitted", "host", host.name, host.paddock.name, details)
    announce("host", host.name, host.paddock.name)
    connections.send(host.pk, wire.Admitted())
    admitted.send(host)


def _give_asked(host: Host) -> dict[str, object]:
    """Gives the host what it asked for; what the logbook is to say of that."""
    given: dict[str, object] = {}
    if host.asked_labels:
        host.labels = clean_labels([*host.labels, *host.asked_labels])
        given["labels"] = host.asked_labels
    if host.asked_slots:
        host.slots = given["slots"] = host.asked_slots
        connections.send(host.pk, wire.Slots(slots=host.slots))
    return given

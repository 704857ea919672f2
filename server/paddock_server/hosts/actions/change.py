"""Changes what people decide about a host: its labels, slots, watched services, and whether it is reserved."""

from __future__ import annotations

from collections.abc import Sequence

from paddock_agent import wire

from ...changes import announce
from ...errors import Invalid
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..labels import clean_labels
from ..models import Host

FIELDS = ("labels", "slots", "services", "reserved")


@action
@requires(Role.ADMINISTRATOR, "Changing a host's labels, slots and watched services", of="host.paddock.name")
def change(
    actor: Actor,
    host: Host,
    labels: Sequence[str] | None = None,
    slots: int | None = None,
    services: Sequence[str] | None = None,
    reserved: bool | None = None,
    *,
    accept_slots: bool = False,
) -> None:
    """What is None stays. Raises Invalid for a wrong label, for more slots than cores unless they are accepted, and for
    a reservation of a host without labels: no job could ask for it."""
    before = {name: getattr(host, name) for name in FIELDS}
    if labels is not None:
        host.labels = clean_labels(labels)
    if slots is not None:
        if slots != host.slots and not accept_slots:
            _refuse_too_many(host, slots)
        host.slots = slots
    if services is not None:
        host.services = list(services)
    if reserved is not None:
        host.reserved = reserved
    if host.reserved and not host.labels:
        raise Invalid("A reserved host needs a label that jobs can ask for. Give it one, or open it.")
    after = {name: getattr(host, name) for name in FIELDS}
    changed = {key: {"from": before[key], "to": after[key]} for key in before if before[key] != after[key]}
    if not changed:
        return
    host.save(update_fields=list(FIELDS))
    write(actor, "changed", "host", host.name, host.paddock.name, changed)
    if slots is not None:
        connections.send(host.pk, wire.Slots(slots=slots))
    if services is not None:
        connections.send(host.pk, wire.WatchServices(services=host.watched_services))
    announce("host", host.name, host.paddock.name)


def _refuse_too_many(host: Host, slots: int) -> None:
    cores = host.facts.get("cores", 0)
    if cores and slots > cores:
        has = f"{host.name} has {cores} {'core' if cores == 1 else 'cores'}"
        detail = f"{has}, so {slots} jobs would slow each other down. The survey suggests {host.suggested_slots}."
        raise Invalid(
            f"{detail} To give it {slots} all the same, send accept_slots.",
            errors=[{"pointer": "/slots", "detail": detail}],
        )

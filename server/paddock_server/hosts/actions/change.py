"""Changes what people decide about a host: its labels, its slots, and which services are watched on it."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from paddock_agent import wire

from ...link import connections, feed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...work import dispatcher
from ..models import Host
from ..wording import clean_labels


@transaction.atomic
def change(
    actor: Actor,
    host: Host,
    labels: Sequence[str] | None = None,
    slots: int | None = None,
    services: Sequence[str] | None = None,
) -> None:
    """What is None stays. Raises Invalid for a wrong label."""
    actor.demand(Role.ADMINISTRATOR, host.paddock.name, "Changing a host's labels, slots and watched services")
    before = {"labels": host.labels, "slots": host.slots, "services": host.services}
    if labels is not None:
        host.labels = clean_labels(labels)
    if slots is not None:
        host.slots = slots
    if services is not None:
        host.services = list(services)
    after = {"labels": host.labels, "slots": host.slots, "services": host.services}
    changed = {key: {"from": before[key], "to": after[key]} for key in before if before[key] != after[key]}
    if not changed:
        return
    host.save(update_fields=["labels", "slots", "services"])
    write(actor, "changed", "host", host.name, host.paddock.name, **changed)
    if slots is not None:
        connections.send(host.pk, wire.Slots(slots=slots))
    if services is not None:
        connections.send(host.pk, wire.WatchServices(services=host.watched_services))
    feed.tell("host", host.name, host.paddock.name)
    dispatcher.wake_after_commit()

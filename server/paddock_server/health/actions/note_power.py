"""Notes what was done to a host's power, or seen of it; a change is kept with its cause."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from django.db.models import Q
from django.utils import timezone

from paddock_core.standby.power import (
    LEARNT_FROM,
    Power,
    PowerEvent,
    WakeRecord,
    power_after,
    usual_wake_seconds,
)

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...storage import action
from ...work import dispatcher
from ..models import PowerChange


@action
def note_power(host: Host, seen: PowerEvent, detail: str = "", by: Actor = SERVER) -> PowerChange | None:
    """Changes the power if ``seen`` does, writes it down, tells the feed. ``detail`` is added to the cause. None where
    nothing changes."""
    before, since = Power(host.power), host.power_since
    change = power_after(before, seen)
    if change is None:
        return None
    host.power, host.power_since = change.state.value, timezone.now()
    host.power_cause = f"{change.cause} {detail}".strip()[:300]
    took = None
    if (before, change.state) == (Power.WAKING, Power.ON) and since:
        took = (host.power_since - since).total_seconds()
    row = PowerChange.objects.create(
        host=host, at=host.power_since, state=host.power, cause=host.power_cause, by=by.name, wake_seconds=took
    )
    if took is not None:
        host.wake_seconds = usual_wake_seconds(wakes_of([host.pk])[host.pk])
    host.save(update_fields=["power", "power_since", "power_cause", "wake_seconds"])
    write(by, f"noted as {change.state}", "host", host.name, host.paddock.name, {"cause": host.power_cause})
    announce("host", host.name, host.paddock.name)
    dispatcher.wake_after_commit()
    return row


def wakes_of(hosts: Collection[int]) -> Mapping[int, list[WakeRecord]]:
    """The latest wakes of each host, oldest first; one query, however many hosts."""
    found: dict[int, list[WakeRecord]] = {host: [] for host in hosts}
    ends = PowerChange.objects.filter(Q(state=Power.NOT_WAKING.value) | Q(wake_seconds__isnull=False), host__in=hosts)
    for host, seconds in ends.order_by("id").values_list("host", "wake_seconds"):
        found[host].append(WakeRecord(seconds))
    return {host: wakes[-LEARNT_FROM:] for host, wakes in found.items()}

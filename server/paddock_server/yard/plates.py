"""What a plate or a sheet shows of a host beside its record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime, timedelta

from django.db.models import Q
from django.db.models.functions import Lower

from paddock_core.suspicion import Known, Oddity, Suspicion, suspicions
from paddock_core.trace import trace

from ..health.queries import link_changes
from ..hosts.models import LIVING, Host
from ..people.actor import Actor
from ..people.models import Role
from ..work.fleet import hosts_refusing, readiness, slots_working
from ..work.models import Attempt

TRACE_HOURS = 24
TRACE_STEPS = 48


def with_work(hosts: Iterable[Host]) -> list[Host]:
    """Sets ``working`` (slots at work) and ``readiness`` on each host."""
    working, refusing = slots_working(), hosts_refusing()
    hosts = list(hosts)
    for host in hosts:
        host.working = working.get(host.pk, 0)
        host.readiness = readiness(host, host.slots - host.working, host.pk in refusing).value
    return hosts


def with_suspicions(hosts: list[Host], actor: Actor) -> list[Host]:
    """Sets ``suspicions`` on each host: at the gate everything odd, inside only that it calls from elsewhere. A host
    that the actor may not see is not named."""
    at_gate = [host for host in hosts if host.standing == Host.Standing.AT_THE_GATE]
    alike: list[Host] = []
    if at_gate:
        names = (
            Host.objects.select_related("paddock")
            .annotate(folded=Lower("name"))
            .filter(folded__in=[host.name.lower() for host in at_gate])
        )
        machines = Host.objects.select_related("paddock").filter(
            machine__in=[host.machine for host in at_gate if host.machine]
        )
        alike = list({host.pk: host for host in [*names, *machines]}.values())
    for host in hosts:
        host.suspicions = []
        if host.calls_from_elsewhere:
            host.suspicions.append(Suspicion(Oddity.OTHER_MACHINE, host.calls_from_elsewhere))
        if host in at_gate:
            others = [_known(other, actor) for other in alike if other.pk != host.pk]
            host.suspicions += suspicions(_known(host, actor), others, host.paddock.networks)
    return hosts


def _known(host: Host, actor: Actor) -> Known:
    may_see = actor.may(Role.VIEWER, host.paddock.name)
    shown = host.name if may_see or host.standing not in LIVING else "a host of another paddock"
    return Known(shown, host.machine, host.address, host.standing in LIVING)


def with_traces(hosts: list[Host], now: datetime) -> list[Host]:
    """Sets ``trace`` on each host: three queries, however many hosts and however long their history."""
    start = now - timedelta(hours=TRACE_HOURS)
    pks = [host.pk for host in hosts]
    links = link_changes(pks, start)
    busy: dict[int, list[tuple[float, float]]] = defaultdict(list)
    worked = Attempt.objects.filter(Q(ended_at=None) | Q(ended_at__gt=start), host__in=pks, started_at__isnull=False)
    for pk, began, ended in worked.values_list("host", "started_at", "ended_at"):
        busy[pk].append((began.timestamp(), (ended or now).timestamp()))
    for host in hosts:
        host.trace = trace(start.timestamp(), now.timestamp(), TRACE_STEPS, links[host.pk], busy[host.pk], host.slots)
    return hosts

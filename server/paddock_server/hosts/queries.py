"""Hosts as people may see them, with what a plate or a sheet shows beside the record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime, timedelta

from django.db.models import Q, QuerySet
from django.db.models.functions import Lower
from rest_framework.request import Request

from paddock_core.suspicion import Known, Oddity, Suspicion, suspicions
from paddock_core.trace import trace

from .. import secret
from ..errors import NotThere
from ..health.queries import link_changes
from ..people.actor import Actor
from ..people.models import Role
from ..work.fleet import hosts_refusing, readiness, slots_working
from ..work.models import Attempt
from .models import LIVING, EntryPass, Host, Paddock

TRACE_HOURS = 24
TRACE_STEPS = 48


def visible_hosts(actor: Actor) -> QuerySet[Host]:
    """The living hosts that the actor may see."""
    return visible_records(actor).filter(standing__in=LIVING)


def visible_records(actor: Actor) -> QuerySet[Host]:
    """All hosts that the actor may see, those that were retired or turned away as well."""
    hosts = Host.objects.select_related("paddock", "joined_with", "health")
    paddocks = actor.where(Role.VIEWER)
    return hosts if paddocks is None else hosts.filter(paddock__name__in=paddocks)


def visible_paddocks(actor: Actor) -> QuerySet[Paddock]:
    """The paddocks that the actor may see."""
    paddocks = actor.where(Role.VIEWER)
    return Paddock.objects.all() if paddocks is None else Paddock.objects.filter(name__in=paddocks)


def host_called(actor: Actor, name: str) -> Host:
    """The living host of this name, whatever its case. Raises NotThere."""
    host = visible_hosts(actor).filter(name__iexact=name).first()
    if host is None:
        raise NotThere(f"There is no host called {name}, or none that you may see.")
    return host


def record_called(actor: Actor, name: str) -> Host:
    """The host of this name to read: the living one, or else the last that was retired or turned away. Raises
    NotThere."""
    living = visible_hosts(actor).filter(name__iexact=name).first()
    past = visible_records(actor).filter(name__iexact=name).order_by("-decided_at", "-pk")
    host = living or past.first()
    if host is None:
        raise NotThere(f"There is no host called {name}, or none that you may see.")
    return host


def host_with_key(key: str) -> Host | None:
    """The living host whose agent has this key."""
    if not key:
        return None
    found = Host.objects.select_related("paddock").filter(key_digest=secret.digest(key), standing__in=LIVING)
    return found.first()


def host_with_watch_key(key: str) -> Host | None:
    """The living host whose watch has this key."""
    if not key:
        return None
    return Host.objects.select_related("paddock").filter(watch_digest=secret.digest(key), standing__in=LIVING).first()


def bearer_of(request: Request) -> str:
    """The key that a caller shows; "" for none."""
    kind, _, key = request.headers.get("Authorization", "").partition(" ")
    return key.strip() if kind.lower() == "bearer" else ""


def paddock_called(actor: Actor, name: str) -> Paddock:
    """The paddock of this name, stray spaces and case aside. Raises NotThere."""
    paddock = visible_paddocks(actor).filter(name__iexact=name.strip()).first()
    if paddock is None:
        known = ", ".join(visible_paddocks(actor).values_list("name", flat=True)[:20]) or "none yet"
        raise NotThere(f'There is no paddock called "{name.strip()}". There is {known}.')
    return paddock


def pass_numbered(actor: Actor, pk: int) -> EntryPass:
    """An entry pass of a paddock that the actor may see. Raises NotThere."""
    found = EntryPass.objects.select_related("paddock").filter(pk=pk, paddock__in=visible_paddocks(actor)).first()
    if found is None:
        raise NotThere(f"There is no pass {pk}, or none that you may see.")
    return found


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

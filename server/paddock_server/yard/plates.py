"""What a plate or a sheet shows of a host beside its record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Q
from django.db.models.functions import Lower

from paddock_core.suspicion import Known, Oddity, Suspicion, suspicions
from paddock_core.trace import trace

from ..health.queries import link_changes
from ..hosts.models import LIVING, EntryPass, Host
from ..people.actor import Actor
from ..people.models import Role
from ..rest.shown import Shown
from ..work.fleet import hosts_refusing, readiness, slots_working
from ..work.models import Attempt

TRACE_HOURS = 24
TRACE_STEPS = 48


@dataclass(frozen=True)
class HostShown(Shown[Host]):
    """A host with its slots at work, its readiness and what is odd about it."""

    working: int
    readiness: str
    suspicions: Sequence[Suspicion] = ()


@dataclass(frozen=True)
class Plate(HostShown):
    """The same with its last day, and the number and worst of its open findings that are neither acknowledged nor
    snoozed."""

    trace: str = ""
    findings: int = 0
    worst: str = ""


@dataclass(frozen=True)
class NewPass(Shown[EntryPass]):
    """A pass just made, with its secret."""

    secret: str


def shown_hosts(hosts: Iterable[Host], actor: Actor) -> list[HostShown]:
    """The hosts as a list or a sheet shows them."""
    hosts = list(hosts)
    odd = _suspicions(hosts, actor)
    return [HostShown(host, *work, odd[host.pk]) for host, work in _with_work(hosts)]


def plates(hosts: Iterable[Host], worst: Mapping[str, tuple[int, str]], now: datetime) -> list[Plate]:
    """The hosts as their plates show them. ``worst`` has the number and the severity of their findings, by name."""
    hosts = list(hosts)
    traces = _traces(hosts, now)
    return [Plate(host, *work, (), traces[host.pk], *worst.get(host.name, (0, ""))) for host, work in _with_work(hosts)]


def _with_work(hosts: Iterable[Host]) -> Iterator[tuple[Host, tuple[int, str]]]:
    working, refusing = slots_working(), hosts_refusing()
    for host in hosts:
        at_work = working.get(host.pk, 0)
        yield host, (at_work, readiness(host, host.slots - at_work, host.pk in refusing).value)


def _suspicions(hosts: Sequence[Host], actor: Actor) -> dict[int, list[Suspicion]]:
    """At the gate everything odd, inside only that a host calls from elsewhere. A host that the actor may not see is
    not named."""
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
    found: dict[int, list[Suspicion]] = {}
    for host in hosts:
        found[host.pk] = []
        if host.calls_from_elsewhere:
            found[host.pk].append(Suspicion(Oddity.OTHER_MACHINE, host.calls_from_elsewhere))
        if host in at_gate:
            others = [_known(other, actor) for other in alike if other.pk != host.pk]
            found[host.pk] += suspicions(_known(host, actor), others, host.paddock.networks)
    return found


def _known(host: Host, actor: Actor) -> Known:
    may_see = actor.may(Role.VIEWER, host.paddock.name)
    shown = host.name if may_see or host.standing not in LIVING else "a host of another paddock"
    return Known(shown, host.machine, host.address, host.standing in LIVING)


def _traces(hosts: Sequence[Host], now: datetime) -> dict[int, str]:
    """Three queries, however many hosts and however long their history."""
    start = now - timedelta(hours=TRACE_HOURS)
    pks = [host.pk for host in hosts]
    links = link_changes(pks, start)
    busy: dict[int, list[tuple[float, float]]] = defaultdict(list)
    worked = Attempt.objects.filter(Q(ended_at=None) | Q(ended_at__gt=start), host__in=pks, started_at__isnull=False)
    for pk, began, ended in worked.values_list("host", "started_at", "ended_at"):
        assert began
        busy[pk].append((began.timestamp(), (ended or now).timestamp()))
    begins, ends = start.timestamp(), now.timestamp()
    return {host.pk: trace(begins, ends, TRACE_STEPS, links[host.pk], busy[host.pk], host.slots) for host in hosts}

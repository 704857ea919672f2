"""The fleet for a rehearsal: the hosts of today, with what kept each from taking jobs in the recorded time."""

from __future__ import annotations

from collections import defaultdict
from datetime import datetime

from paddock_core.fleet import Host as FleetHost
from paddock_core.link_state import Link
from paddock_core.planning.past import Past
from paddock_core.planning.rehearsal import Closure, Setting, usual_latency
from paddock_core.planning.speed import HostSpeed, host_speeds

from ..health.models import HoldChange, LinkChange
from ..hosts.models import Host
from ..work.fence import fences
from ..work.fleet import fleet
from .models import PastClosure


def fleet_setting(past: Past, since: datetime, until: datetime) -> Setting:
    """The past on the fleet of today, as it was open or closed then."""
    hosts = tuple(host for host in fleet() if host.is_admitted)
    let_in = fences()
    inside: dict[str, set[str]] = defaultdict(set)
    fenced = set()
    for pipeline in past.pipelines:
        letting = let_in.letting_in(pipeline)
        for paddock in {host.paddock for host in hosts}:
            if letting is None or paddock in letting:
                inside[paddock].add(pipeline)
            else:
                fenced.add(paddock)
    speeds = {name: speed.factor for name, speed in certain_speeds(past).items()}
    return Setting(
        past=past,
        hosts=hosts,
        since=since.timestamp(),
        fences={paddock: frozenset(inside[paddock]) for paddock in fenced},
        closures=tuple(closures(past, since, until)),
        speeds=speeds,
        latency=usual_latency(past),
    )


def certain_speeds(past: Past) -> dict[str, HostSpeed]:
    """The hosts that surely differ from their peers; of all others nothing is assumed."""
    return {name: speed for name, speed in host_speeds(past).items() if speed.is_certain}


def closures(past: Past, since: datetime, until: datetime) -> list[Closure]:
    """When each host took no jobs: not there yet, not connected, or held."""
    found = [
        Closure(one.host, one.since.timestamp(), one.until.timestamp())
        for one in PastClosure.objects.filter(until__gt=since, since__lt=until)
    ]
    first_run: dict[str, float] = {}
    for host, placed in zip(past.host.tolist(), past.placed.tolist(), strict=True):
        name = past.hosts[host]
        first_run[name] = min(first_run.get(name, placed), placed)
    rows = Host.objects.filter(standing=Host.Standing.ADMITTED)
    for name, joined in rows.values_list("name", "joined_at"):
        began = min(joined.timestamp(), first_run.get(name, joined.timestamp()))
        found.append(Closure(name, float("-inf"), began))
    for model, field, is_open in (
        (LinkChange, "state", lambda value: value == Link.CONNECTED.value),
        (HoldChange, "holding", lambda value: value == ""),
    ):
        found += _shut(model, field, is_open, until)
    return [one for one in found if one.until > since.timestamp() and one.since < until.timestamp()]


def _shut(model: type, field: str, is_open: object, until: datetime) -> list[Closure]:
    """Closures from changes of state; what is open before the first change is left open."""
    changes: dict[str, list[tuple[float, bool]]] = defaultdict(list)
    rows = model.objects.filter(at__lt=until, host__standing=Host.Standing.ADMITTED).order_by("at", "id")  # type: ignore[attr-defined]
    for name, at, value in rows.values_list("host__name", "at", field):
        changes[name].append((at.timestamp(), is_open(value)))  # type: ignore[operator]
    found = []
    for name, steps in changes.items():
        shut_at: float | None = None
        for at, opens in steps:
            if opens and shut_at is not None:
                found.append(Closure(name, shut_at, at))
                shut_at = None
            elif not opens and shut_at is None:
                shut_at = at
        if shut_at is not None:
            found.append(Closure(name, shut_at, until.timestamp()))
    return found


def departed(past: Past, hosts: tuple[FleetHost, ...]) -> dict[str, int]:
    """Hosts that ran jobs then and are not in the fleet any more, with how many."""
    there = {host.name for host in hosts}
    gone = {}
    for number, name in enumerate(past.hosts):
        runs = int((past.host == number).sum())
        if runs and name not in there:
            gone[name] = runs
    return gone

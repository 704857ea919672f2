"""The fleet as the core sees it: taken from the database, kept in memory as a FleetIndex, and brought up to date host
by host."""

from __future__ import annotations

import contextlib
import math
import threading
import time
from collections import defaultdict
from collections.abc import Collection, Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from functools import lru_cache

from django.db.models import Sum
from django.utils import timezone

from paddock_core import fleet as core
from paddock_core.fit import Requirement
from paddock_core.fleet_index import FleetIndex
from paddock_core.lifecycle import LIVE, AttemptState
from paddock_core.link_state import Link
from paddock_core.standby.power import Power
from paddock_core.units import span

from ..changes import Change
from ..hosts.models import LIVING, Host
from ..process import event_loop, vitals
from ..process.state import part
from ..storage import action, is_writer, on_rollback
from ..storage.roles import only_reads
from ..toolchains import fleet_vocabulary as known_words
from ..toolchains.catalogue import catalogue
from ..toolchains.models import Installation
from ..toolchains.terms_input import terms_of
from . import changed_hosts, open_work
from .models import Attempt

REFUSAL_SECONDS = 30
"""How long a host that refused an offer gets no other."""
LOOK_AT_ALL = 300.0
"""Seconds after which the whole fleet is read again."""
DISKS_NEW_FOR = 1.0
"""Seconds for which the free disks that were read are new enough."""
DISK_MOVES = 0.02
"""By how much of what it was the free disk has to move to be taken over."""

Surveyed = tuple[datetime | None, tuple[core.InstalledTool, ...]]
"""A host's installations, and the survey that found them: they are read again only after a newer one."""

_NOT_CONNECTED = {
    Link.STOPPED: core.Readiness.STOPPED,
    Link.LOST: core.Readiness.LOST,
    Link.NEVER_SEEN: core.Readiness.NEVER_SEEN,
}


class _Cache:
    """The index, the rows that it was made of, and what is known of how new it is."""

    def __init__(self) -> None:
        self.lock = threading.RLock()
        self.installed: dict[int, Surveyed] = {}
        self.forget()

    def forget(self) -> None:
        self.index = FleetIndex()
        self.rows: dict[str, Host] = {}
        self.rows_by_key: dict[int, Host] = {}
        self.paddocks = -1
        self.refusing: set[str] = set()
        self.read_all_at = -math.inf
        self.is_read = False
        self.disks_at = -math.inf


def _cache() -> _Cache:
    return part(_Cache)


@contextlib.contextmanager
def cached_fleet() -> Iterator[FleetIndex]:
    """The index of all living hosts as of now, for one thread at a time.

    In a running server the writer alone brings it up to date, with each batch that has changed a host: what another
    thread would read is older than what the writer knows. Elsewhere (a command, a test of an action) all
    hosts are read each time.
    """
    if only_reads():
        if not _cache().is_read:
            bring_up_to_date()
        with _cache().lock:
            _apply_disks()
            yield _cache().index
        return
    with _cache().lock:
        _bring_up_to_date()
        _apply_disks()
        yield _cache().index


@action
def bring_up_to_date() -> None:
    """Takes over what has changed."""
    with _cache().lock:
        _bring_up_to_date()


def host_now(name: str) -> core.Host | None:
    """A host as the index has it, for the writer; None for one that is not there, and outside of the writer."""
    if not is_writer():
        return None
    with _cache().lock:
        return _cache().index.host(name) if name in _cache().rows else None


def fleet(paddocks: Collection[str] | None = None) -> list[core.Host]:
    """All living hosts, or those of some paddocks, by name."""
    with cached_fleet() as index:
        hosts = [host for host in index if paddocks is None or host.paddock in paddocks]
    return sorted(hosts, key=lambda host: host.name)


def _bring_up_to_date() -> None:
    changed = changed_hosts.drain()
    is_announced = event_loop.server().loop is not None
    paddocks = changed_hosts.paddocks_edition()
    if not is_announced or paddocks != _cache().paddocks or time.monotonic() - _cache().read_all_at > LOOK_AT_ALL:
        _apply_changes(None)
        _cache().read_all_at, _cache().is_read, _cache().paddocks = time.monotonic(), True, paddocks
    else:
        others = _count_slots(changed.slots - changed.hosts - _cache().refusing)
        if names := changed.hosts | _cache().refusing | others:
            _apply_changes(names)


def _apply_changes(names: Collection[str] | None) -> None:
    """Reads hosts from the database into the index; None for all."""
    rows = Host.objects.filter(standing__in=LIVING).select_related("paddock")
    if names is None:
        _cache().index.set_catalogue(catalogue().tools)
    else:
        rows = rows.filter(name__in=names)
    hosts = list(rows)
    keys = None if names is None else [host.pk for host in hosts]
    _read_installations(hosts)
    working, refusing = slots_working(keys), hosts_refusing()
    services: dict[int, dict[str, str]] = defaultdict(dict)
    watched = Host.objects.exclude(watched=None)
    watched = watched if keys is None else watched.filter(pk__in=keys)
    for pk, name, how in watched.values_list("pk", "watched__name", "watched__running"):
        services[pk][name] = how
    there = {host.name for host in hosts}
    for name in (_cache().rows.keys() if names is None else set(names) & _cache().rows.keys()) - there:
        _cache().index.remove(name)
        _cache().rows_by_key.pop(_cache().rows.pop(name).pk)
    for host in hosts:
        _cache().index.put(_seen_by_core(host, working.get(host.pk, 0), host.pk in refusing, services[host.pk]))
        _cache().rows[host.name] = _cache().rows_by_key[host.pk] = host
    _cache().refusing = {host.name for host in hosts if host.pk in refusing} | (
        set() if names is None else _cache().refusing - set(names)
    )


def _count_slots(names: Collection[str]) -> set[str]:
    """Counts again how many slots are free; returns the hosts for which that takes the database."""
    keys = {name: _cache().rows[name].pk for name in names if name in _cache().rows}
    working = open_work.slots_working(keys.values())
    if working is None:
        return set(names)
    for name, key in keys.items():
        host = _cache().index.host(name)
        if host is None:
            continue
        free = max(0, host.slots - working[key])
        state = host.readiness
        if state in (core.Readiness.FREE, core.Readiness.BUSY):
            state = core.Readiness.FREE if free else core.Readiness.BUSY
        _cache().index.put(replace(host, free_slots=free, readiness=state))
    return set(names) - keys.keys()


def row_of(name: str) -> Host:
    """The row of an admitted host, with its paddock, as new as the index. Raises Host.DoesNotExist."""
    if is_writer() and name in _cache().rows:
        return _cache().rows[name]
    return Host.objects.select_related("paddock").get(name=name, standing=Host.Standing.ADMITTED)


def row_with_key(key: int) -> Host:
    """The row of a host, with its paddock; of an admitted one as new as the index was when it was last used."""
    if is_writer() and key in _cache().rows_by_key:
        return _cache().rows_by_key[key]
    return Host.objects.select_related("paddock").get(pk=key)


def is_draining(host: Host) -> bool:
    """Whether the host may be draining: it has to be looked at."""
    if not is_writer():
        return True
    with cached_fleet() as index:
        known = index.host(host.name)
    return known is None or bool(known.held)


def _apply_disks() -> None:
    """The free disk comes with every heartbeat, and never touches the database."""
    if time.monotonic() - _cache().disks_at <= DISKS_NEW_FOR:
        return
    _cache().disks_at = time.monotonic()
    for name, row in _cache().rows.items():
        newest = vitals.of(row.pk).newest("disk_free")
        host = _cache().index.host(name)
        if host is None or math.isnan(newest):
            continue
        known = host.disk_free
        if known is None or abs(newest - known) > DISK_MOVES * known:
            _cache().index.put(replace(host, disk_free=newest))


def slots_working(keys: Collection[int] | None = None) -> dict[int, int]:
    """For each host that works, how many of its slots do: offered attempts count."""
    if keys is not None and (kept := open_work.slots_working(keys)) is not None:
        return kept
    live = Attempt.objects.filter(state__in=[state.value for state in LIVE])
    if keys is not None:
        live = live.filter(host__in=keys)
    return dict(live.values_list("host").annotate(number=Sum("job__slots")).values_list("host", "number"))


def hosts_refusing() -> set[int]:
    """The hosts that would not take an offer, or did not answer one, a moment ago: asking again at once would only
    make more refusals."""
    since = timezone.now() - timedelta(seconds=REFUSAL_SECONDS)
    recent = Attempt.objects.filter(ended_at__gte=since, started_at=None)
    untaken = [AttemptState.REFUSED.value, AttemptState.LOST.value]
    return set(recent.filter(state__in=untaken).values_list("host", flat=True))


def readiness(host: Host, free_slots: int, is_refusing: bool) -> core.Readiness:
    """The first thing that keeps the host from taking a job, or that it is free."""
    if host.standing != Host.Standing.ADMITTED:
        return core.Readiness.AT_THE_GATE
    if host.sleeps:
        return core.Readiness.WAKING if host.power == Power.WAKING.value else core.Readiness.ASLEEP
    if host.link != Link.CONNECTED:
        return _NOT_CONNECTED[Link(host.link)]
    if host.power == Power.GOING_DOWN.value:
        return core.Readiness.GOING_DOWN
    if host.holding:
        return core.Readiness(host.holding)
    if host.cannot:
        return core.Readiness.UNABLE
    if is_refusing:
        return core.Readiness.REFUSING
    return core.Readiness.FREE if free_slots > 0 else core.Readiness.BUSY


def _seen_by_core(host: Host, working: int, is_refusing: bool, services: dict[str, str]) -> core.Host:
    free = max(0, host.slots - working)
    facts, details = host.facts, host.details
    known = _cache().index.host(host.name)
    return core.Host(
        name=host.name,
        paddock=host.paddock.name,
        os=facts.get("os", ""),
        os_version=facts.get("os_version", ""),
        arch=facts.get("arch", ""),
        labels=frozenset(host.labels),
        installations=_cache().installed[host.pk][1],
        broken={one["tool"]: one["why"] for one in reversed(host.broken)},
        readiness=readiness(host, free, is_refusing),
        free_slots=free,
        surveyed=host.surveyed_at is not None,
        services=services,
        slots=host.slots,
        cores=facts.get("cores", 0),
        memory=facts.get("memory", 0),
        disk_free=known.disk_free if known and known.disk_free else facts.get("disk_free") or None,
        disk_total=facts.get("disk_total", 0.0),
        display=details.get("display", ""),
        variables=frozenset(details.get("variables", ())),
        values=details.get("values", {}),
        groups=frozenset(details.get("groups", ())),
        reserved=host.reserved,
        connected=host.link == Link.CONNECTED,
        unable=host.unable,
        waking=_waking(host),
        held=": ".join(filter(None, [host.held_by, host.hold_reason])) if host.holding else "",
    )


def _waking(host: Host) -> str:
    """When a host that is being woken is usually up, "" for others."""
    if host.power != Power.WAKING.value:
        return ""
    return f"usually up in {span(host.wake_seconds)}"


def _read_installations(hosts: list[Host]) -> None:
    stale = {
        host.pk: host.surveyed_at
        for host in hosts
        if _cache().installed.get(host.pk, (0,))[0] != host.surveyed_at or host.pk not in _cache().installed
    }
    if not stale:
        return
    words = known_words.words()
    rows: dict[int, list[core.InstalledTool]] = defaultdict(list)
    found = Installation.objects.filter(host__in=stale).values_list("host", "tool", "version", "path", "home", "plain")
    for host, tool, version, path, home, plain in found:
        rows[host].append(core.InstalledTool(tool, version, path, home, plain, words.scheme(tool)))
    for pk, surveyed_at in stale.items():
        _cache().installed[pk] = (surveyed_at, tuple(rows[pk]))


# ---- terms ---------------------------------------------------------------------------------------------------------


def requirement_of(
    texts: tuple[str, ...], slots: int, reach: frozenset[str] | None, let_in: frozenset[str] | None, is_internal: bool
) -> Requirement:
    """What a job asks for; jobs that ask for the same share one object."""
    return _requirement_by(known_words.edition(), texts, slots, reach, let_in, is_internal)


@lru_cache(maxsize=8192)
def _requirement_by(
    edition: tuple[int, int],
    texts: tuple[str, ...],
    slots: int,
    reach: frozenset[str] | None,
    let_in: frozenset[str] | None,
    is_internal: bool,
) -> Requirement:
    return Requirement(terms_of(texts), slots, reach, let_in, is_internal)


def hear(change: Change) -> None:
    """A new catalogue may order the versions of a tool otherwise."""
    if change.noun == "catalogue":
        forget_fleet()
        on_rollback(forget_fleet)


def forget_fleet() -> None:
    """Reads everything again: version schemes may have changed, or the database is another."""
    with _cache().lock:
        _cache().installed.clear()
        _cache().forget()

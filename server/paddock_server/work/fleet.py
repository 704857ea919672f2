"""The fleet as the core sees it, taken from the database."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from datetime import datetime, timedelta
from functools import lru_cache

from django.db.models import Count
from django.utils import timezone

from paddock_core import fleet as core
from paddock_core.lifecycle import LIVE, AttemptState
from paddock_core.link_state import Link
from paddock_core.terms import Term, parse_terms

from ..health.models import WatchedService
from ..hosts.models import LIVING, Host
from ..toolchains.catalogue import catalogue
from ..toolchains.models import Installation
from .models import Attempt

REFUSAL_SECONDS = 30
"""How long a host that refused an offer gets no other."""

_installed: dict[int, tuple[datetime | None, tuple[core.Installation, ...]]] = {}
"""The installations of each host as of the survey that is named with them: read again only after a newer one."""

_NOT_CONNECTED = {
    Link.STOPPED: core.Readiness.STOPPED,
    Link.LOST: core.Readiness.LOST,
    Link.NEVER_SEEN: core.Readiness.NEVER_SEEN,
}


def fleet(paddocks: Collection[str] | None = None) -> list[core.Host]:
    """All living hosts, or those of some paddocks."""
    hosts = Host.objects.filter(standing__in=LIVING).select_related("paddock")
    if paddocks is not None:
        hosts = hosts.filter(paddock__name__in=paddocks)
    hosts = list(hosts)
    _read_installations(hosts)
    working, refusing = slots_working(), hosts_refusing()
    services: dict[int, dict[str, str]] = defaultdict(dict)
    for pk, name, running in WatchedService.objects.values_list("host", "name", "running"):
        services[pk][name] = running
    return [_seen_by_core(host, working.get(host.pk, 0), host.pk in refusing, services[host.pk]) for host in hosts]


def slots_working() -> dict[int, int]:
    """For each host that works, how many of its slots do: offered attempts count."""
    live = Attempt.objects.filter(state__in=[state.value for state in LIVE])
    return dict(live.values_list("host").annotate(number=Count("id")).values_list("host", "number"))


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
    if host.link != Link.CONNECTED:
        return _NOT_CONNECTED[Link(host.link)]
    if host.holding:
        return core.Readiness(host.holding)
    if is_refusing:
        return core.Readiness.REFUSING
    return core.Readiness.FREE if free_slots > 0 else core.Readiness.BUSY


def _seen_by_core(host: Host, working: int, is_refusing: bool, services: dict[str, str]) -> core.Host:
    free = max(0, host.slots - working)
    return core.Host(
        name=host.name,
        paddock=host.paddock.name,
        os=host.facts.get("os", ""),
        os_version=host.facts.get("os_version", ""),
        arch=host.facts.get("arch", ""),
        labels=frozenset(host.labels),
        installations=_installed[host.pk][1],
        readiness=readiness(host, free, is_refusing),
        free_slots=free,
        surveyed=host.surveyed_at is not None,
        services=services,
    )


def _read_installations(hosts: list[Host]) -> None:
    stale = {
        host.pk: host.surveyed_at
        for host in hosts
        if _installed.get(host.pk, (0,))[0] != host.surveyed_at or host.pk not in _installed
    }
    words = catalogue().words
    rows: dict[int, list[core.Installation]] = defaultdict(list)
    found = Installation.objects.filter(host__in=stale).values_list("host", "tool", "version", "path", "home", "plain")
    for host, tool, version, path, home, plain in found:
        rows[host].append(core.Installation(tool, version, path, home, plain, words.scheme(tool)))
    for pk, surveyed_at in stale.items():
        _installed[pk] = (surveyed_at, tuple(rows[pk]))


def terms_of(texts: tuple[str, ...]) -> tuple[Term, ...]:
    """Reads the terms of a job; many jobs ask for the same."""
    known = catalogue()
    return _terms_by(known.number, texts)


@lru_cache(maxsize=4096)
def _terms_by(release: int, texts: tuple[str, ...]) -> tuple[Term, ...]:
    return parse_terms(texts, catalogue().words)


def forget_installations() -> None:
    """The versions are read anew: their schemes may have changed."""
    _installed.clear()

"""Toolchains as people may see them: the fleet's columns, one tool, several hosts side by side, inventories."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import date, datetime, timedelta
from itertools import accumulate
from typing import Any

from django.db.models import Count
from django.utils import timezone

from paddock_core import cover
from paddock_core import fleet as core
from paddock_core.inventory import Inventory, Item
from paddock_core.surveys import TOOL
from paddock_core.terms import ToolTerm
from paddock_core.versions import parse_range

from ..hosts.awake import is_within_reach
from ..hosts.models import Host
from ..hosts.queries import visible_hosts
from ..people.actor import Actor
from ..people.models import Role
from ..toolchains.catalogue import catalogue
from ..toolchains.models import Installation, Kit, SurveyChange
from ..toolchains.terms_input import terms_of
from ..toolchains.visible import visible_kits
from ..work.fleet import fleet
from ..work.models import Attempt
from .demand import asked_by_tool, asked_lately, stopped_without
from .standings import IN_KIT, all_standings

RECENT = timedelta(days=7)
RESULTS_AROUND = timedelta(days=7)
ENDED = ("passed", "failed", "timed out")
MAX_SHOWN = 500


def is_healthy(host: Host) -> bool:
    """Whether a job could come to it now, as soon as a slot is free, or by waking it."""
    return host.standing == Host.Standing.ADMITTED and is_within_reach(host) and not host.holding


def columns(actor: Actor) -> dict[str, Any]:
    """The whole fleet and its tools as columns: every list of a part is of one length, and hosts and versions are named
    by their places in them."""
    hosts = list(visible_hosts(actor).order_by("paddock__name", "name"))
    places = {host.pk: place for place, host in enumerate(hosts)}
    found: dict[str, list[tuple[int, str | None, bool]]] = defaultdict(list)
    # The fleet keeps the installations of every host at hand; only those with a newer survey are read again.
    seen = fleet(actor.where(Role.VIEWER))
    by_name = {host.name: place for place, host in enumerate(hosts)}
    for one in seen:
        if (place := by_name.get(one.name)) is not None:
            for it in one.installations:
                found[it.tool].append((place, it.version, it.plain))
    for host in hosts:
        for one in host.broken:
            found[one["tool"]].append((places[host.pk], None, False))
    known, asked = catalogue(), asked_by_tool(asked_lately(actor))
    missed, kits = _missed(visible_kits(actor), seen, by_name)
    changed = _changed_lately(places)
    names = sorted(set(found) | set(asked) | set(missed))
    tools = []
    for name in names:
        tool = known.tools.get(name)
        scheme = known.words.scheme(name)
        cells = cover.cells(found[name], scheme)
        ends = cover.ends_of(cells.versions, scheme, [(end.line, end.day) for end in tool.ends] if tool else [])
        tools.append(
            {
                "name": name,
                "title": tool.title if tool else name,
                "kind": tool.kind if tool else "other",
                "asked": asked.get(name, 0),
                "changed": changed.get(name, 0),
                "missed": missed.get(name, 0),
                "versions": cells.versions,
                "ends": [_day(day) for day in ends],
                "hosts": cells.hosts,
                "version": cells.version,
                "plain": cells.plain,
            }
        )
    return {
        "hosts": {
            "name": [host.name for host in hosts],
            "paddock": [host.paddock.name for host in hosts],
            "os": [host.facts.get("os", "") for host in hosts],
            "arch": [host.facts.get("arch", "") for host in hosts],
            "healthy": [is_healthy(host) for host in hosts],
            "surveyed": [host.surveyed_at is not None for host in hosts],
            "labels": [host.labels for host in hosts],
        },
        "tools": tools,
        "kits": kits,
    }


def _day(day: date | None) -> str | None:
    return day.isoformat() if day else None


def _missed(
    put_on: Iterable[Kit], seen: Sequence[core.Host], by_name: Mapping[str, int]
) -> tuple[Counter[str], list[dict[str, Any]]]:
    """How many hosts lack each tool that a kit asks of them; and each kit with how its hosts stand."""
    missed: Counter[str] = Counter()
    kits = []
    for kit, standing in all_standings(put_on, seen):
        shown = {host: one for host, one in standing.items() if host in by_name}
        terms = terms_of(tuple(kit.terms))
        for one in shown.values():
            missed.update({term.name for place, _ in one.lacking if isinstance(term := terms[place], ToolTerm)})
        kits.append(
            {
                "name": kit.name,
                "hosts": [by_name[host] for host in shown],
                "stands": [one.stands.value for one in shown.values()],
            }
        )
    return missed, kits


def _changed_lately(places: Collection[int]) -> dict[str, int]:
    """How many hosts saw each tool change in the last week, without anybody having accepted it."""
    since = timezone.now() - RECENT
    found = SurveyChange.objects.filter(host__in=places, kind=TOOL, at__gte=since, accepted_at=None).order_by()
    return dict(found.values("name").annotate(number=Count("host", distinct=True)).values_list("name", "number"))


def tool_page(actor: Actor, name: str) -> dict[str, Any]:
    """Everything about one tool: its versions with their hosts, who asks for which range, and what would stop."""
    known = catalogue()
    tool = known.tools.get(name)
    scheme = known.words.scheme(name)
    hosts = {host.pk: host for host in visible_hosts(actor)}
    found = list(Installation.objects.filter(host__in=hosts, tool=name).order_by("host__name", "-plain", "path"))
    versions = sorted({one.version for one in found}, key=lambda v: cover.order_key(v, scheme), reverse=True)
    ends = cover.ends_of(versions, scheme, [(end.line, end.day) for end in tool.ends] if tool else [])
    asked = [one for one in asked_lately(actor) if name in one.ranges]
    seen = [host for host in fleet(actor.where(Role.VIEWER)) if host.is_admitted]
    stopped = stopped_without(name, versions, asked, seen)
    return {
        "name": name,
        "title": tool.title if tool else name,
        "kind": tool.kind if tool else "other",
        "aliases": tool.aliases if tool else [],
        "scheme": scheme,
        "ends_source": tool.ends_source if tool else "",
        "versions": [
            {
                "version": version,
                "ends": _day(day),
                "installations": [_installation(one, hosts[one.host_id]) for one in found if one.version == version],
                "stops": [{"pipeline": one.pipeline, "job": one.job, "times": one.times} for one in stopped[version]],
            }
            for version, day in zip(versions, ends, strict=True)
        ],
        "broken": [
            {"host": host.name, "paddock": host.paddock.name, **one}
            for host in hosts.values()
            for one in host.broken
            if one["tool"] == name
        ],
        "lacking": sorted(
            host.name
            for host in hosts.values()
            if name in host.looked_for and host.pk not in {o.host_id for o in found}
        ),
        "asked": [
            {
                "pipeline": one.pipeline,
                "job": one.job,
                "range": one.ranges[name],
                "times": one.times,
                "versions": [v for v in versions if _accepts(one.ranges[name], v, scheme)],
            }
            for one in asked
        ],
        "changes": [_change(one) for one in _changes_of_tool(hosts, name)],
    }


def _accepts(wanted: str, version: str, scheme: str) -> bool:
    return not wanted or cover.within([version], parse_range(wanted, scheme))[0]


def _installation(one: Installation, host: Host) -> dict[str, Any]:
    return {
        "host": host.name, "paddock": host.paddock.name, "os": host.facts.get("os", ""), "path": one.path,
        "home": one.home, "plain": one.plain, "evidence": one.evidence, "output": one.output,
        "seen_since": one.seen_since,
    }  # fmt: skip


def _changes_of_tool(hosts: Collection[int], name: str) -> Iterable[SurveyChange]:
    found = SurveyChange.objects.filter(host__in=hosts, kind=TOOL, name=name).select_related("host")
    return found.exclude(not_before=None)[:200]


def _change(one: SurveyChange) -> dict[str, Any]:
    return {name: getattr(one, name) for name in CHANGE_FIELDS} | {"host": one.host.name}


CHANGE_FIELDS = (
    "id", "kind", "name", "place", "what", "before", "after", "not_before", "at", "because",
    "accepted_by", "accepted_at", "note",
)  # fmt: skip


def changes_of(host: Host) -> list[dict[str, Any]]:
    """The changes of a host, the newest first, each with how its jobs ended in the week before and since. The first
    survey starts the history, and is not a change."""
    found = SurveyChange.objects.filter(host=host).exclude(not_before=None).select_related("host")
    rows = list(found[:MAX_SHOWN])
    if not rows:
        return []
    first = min(_before(row) for row in rows) - RESULTS_AROUND
    ended = Attempt.objects.filter(host=host, ended_at__gt=first, state__in=ENDED).order_by("ended_at")
    results = Results([(at, state) for at, state in ended.values_list("ended_at", "state") if at])
    return [
        _change(row)
        | {
            "results_before": results.between(_before(row) - RESULTS_AROUND, _before(row)),
            "results_after": results.between(row.at, row.at + RESULTS_AROUND),
        }
        for row in rows
    ]


def _before(row: SurveyChange) -> datetime:
    """When the survey before the change was."""
    assert row.not_before
    return row.not_before


class Results:
    """How a host's attempts ended, in the order of time: read once, counted for any span."""

    def __init__(self, ended: Sequence[tuple[datetime, str]]) -> None:
        self._at = [at for at, _ in ended]
        self._passed = [0, *accumulate(int(state == "passed") for _, state in ended)]

    def between(self, start: datetime, end: datetime) -> dict[str, int]:
        """After ``start``, and no later than ``end``."""
        first, last = bisect_right(self._at, start), bisect_right(self._at, end)
        passed = self._passed[last] - self._passed[first]
        return {"passed": passed, "failed": last - first - passed}


def inventories(hosts: Sequence[Host]) -> list[Inventory]:
    """What is installed on each host."""
    items: dict[int, list[Item]] = defaultdict(list)
    for one in Installation.objects.filter(host__in=hosts):
        items[one.host_id].append(Item(one.tool, one.version, one.path, one.home, one.plain, one.evidence))
    for host in hosts:
        items[host.pk] += [Item(b["tool"], "", b["path"], broken=b["why"]) for b in host.broken]
    return [
        Inventory(
            host.name,
            host.paddock.name,
            host.facts.get("os_name", "") or host.facts.get("os", ""),
            host.surveyed_at.isoformat() if host.surveyed_at else "",
            tuple(items[host.pk]),
        )
        for host in hosts
    ]


def in_kit(host: Host) -> list[dict[str, Any]]:
    """The kits that are put on a host, with how it stands to each."""
    seen = [one for one in fleet({host.paddock.name}) if one.name == host.name]
    found = []
    for kit, standing in all_standings(Kit.objects.prefetch_related("paddocks"), seen):
        if (one := standing.get(host.name)) is not None:
            terms = terms_of(tuple(kit.terms))
            found.append(
                {
                    "kit": kit.name,
                    "stands": one.stands.value,
                    "in_kit": one.stands in IN_KIT,
                    "lacking": [
                        {"term": str(terms[p]), "found": value, "ahead": p in one.ahead} for p, value in one.lacking
                    ],
                }
            )
    return found

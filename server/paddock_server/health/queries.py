"""Findings, availability, readings and a host's week, as people may see them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from django.db.models import OuterRef, Q, QuerySet, Subquery
from django.utils import timezone

from paddock_core.availability import Availability, availability, together
from paddock_core.findings.finding import ORDER, Severity
from paddock_core.findings.lifetime import is_quiet
from paddock_core.link_state import Link, is_flapping
from paddock_core.standby.power import Power
from paddock_core.surveys import TOOL
from paddock_core.trace import joined
from paddock_core.trend import LOOK_BACK, Trend
from paddock_core.vitals import BY_MINUTE_FOR, FULL_FOR, HOUR, MINUTE, NAMES, WIDTH, Floats, unpacked

from ..errors import NotThere
from ..hosts.models import Host
from ..people.actor import Actor
from ..people.models import Role
from ..rest.shown import Shown
from ..toolchains.models import SurveyChange
from ..work.models import Attempt
from .models import Finding, FreshReadings, Health, HoldChange, HourOfReadings, LinkChange, PowerChange, ServiceChange

WINDOWS = {"day": 86_400.0, "week": 7 * 86_400.0, "month": 30 * 86_400.0}
MAX_FORECASTS = 12
FORECAST_HORIZON_SECONDS = 60 * 86_400.0
"""Later dates are not shown."""
MAX_EVENTS = 500


def visible_findings(actor: Actor) -> QuerySet[Finding]:
    """The findings of the paddocks that the actor may see; those that concern several only who may see everything."""
    paddocks = actor.where(Role.VIEWER)
    return Finding.objects.all() if paddocks is None else Finding.objects.filter(paddock__in=paddocks)


def finding_numbered(actor: Actor, pk: int) -> Finding:
    """One finding. Raises NotThere."""
    found = visible_findings(actor).filter(pk=pk).first()
    if found is None:
        raise NotThere("No such finding exists that you may see.")
    return found


@dataclass(frozen=True)
class FindingShown(Shown[Finding]):
    """A finding, and whether it is acknowledged or snoozed."""

    aside: bool


def shown_findings(findings: Iterable[Finding]) -> list[FindingShown]:
    """In the order in which they come."""
    now = timezone.now().timestamp()
    return [FindingShown(one, _is_aside(one, now)) for one in findings]


def by_urgency(findings: Iterable[Finding]) -> list[FindingShown]:
    """The most urgent first, then the oldest; acknowledged and snoozed ones last."""
    return sorted(
        shown_findings(findings),
        key=lambda one: (one.aside, ORDER[Severity(one.row.severity)], one.row.since, one.row.pk),
    )


def _is_aside(finding: Finding, now: float) -> bool:
    snoozed = finding.snoozed_until.timestamp() if finding.snoozed_until else None
    return is_quiet(now, finding.acknowledged_at is not None, snoozed)


def worst_by_host(actor: Actor) -> dict[str, tuple[int, str]]:
    """Per host: the number of open findings that are neither acknowledged nor snoozed, and the most severe."""
    worst: dict[str, tuple[int, str]] = {}
    for one in by_urgency(visible_findings(actor).filter(closed_at=None)):
        if not one.aside:
            for name in one.row.hosts:
                number, severity = worst.get(name, (0, one.row.severity))
                worst[name] = (number + 1, severity)
    return worst


def link_changes(hosts: Collection[int], start: datetime) -> dict[int, list[tuple[float, Link]]]:
    """The changes of each host's link since ``start``, and the last one before: two queries, however many hosts."""
    found: dict[int, list[tuple[float, Link]]] = defaultdict(list)
    last_before = LinkChange.objects.filter(host=OuterRef("pk"), at__lte=start).order_by("-id").values("state")[:1]
    for pk, state in Host.objects.filter(pk__in=hosts).annotate(was=Subquery(last_before)).values_list("pk", "was"):
        if state:
            found[pk].append((start.timestamp(), Link(state)))
    since = LinkChange.objects.filter(host__in=hosts, at__gt=start).order_by("id")
    for pk, at, state in since.values_list("host", "at", "state"):
        found[pk].append((at.timestamp(), Link(state)))
    return found


Spans = dict[int, list[tuple[float, float]]]
ASLEEP_OR_ON_ITS_WAY = frozenset({Power.GOING_DOWN, Power.ASLEEP, Power.WAKING})


def holds(hosts: Collection[int], now: float) -> Spans:
    """When each host was held, draining or off on purpose, as spans that do not overlap."""
    changes = HoldChange.objects.filter(host__in=hosts).order_by("id").values_list("host", "at", "holding")
    held = _spans_while(((pk, at, bool(holding)) for pk, at, holding in changes), now)
    asleep = power_spans(hosts, ASLEEP_OR_ON_ITS_WAY, now)
    return {pk: joined([*held.get(pk, ()), *asleep.get(pk, ())]) for pk in hosts}


def power_spans(hosts: Collection[int], states: Collection[Power], now: float) -> Spans:
    """When the power of each host was in one of these states."""
    changes = PowerChange.objects.filter(host__in=hosts).order_by("id").values_list("host", "at", "state")
    return _spans_while(((pk, at, Power(state) in states) for pk, at, state in changes), now)


def _spans_while(changes: Iterable[tuple[int, datetime, bool]], now: float) -> Spans:
    """From changes in order, each with whether its host was inside from then on; the last span goes up to ``now``."""
    spans: Spans = defaultdict(list)
    begun: dict[int, float] = {}
    for pk, at, is_inside in changes:
        if is_inside:
            begun.setdefault(pk, at.timestamp())
        elif pk in begun:
            spans[pk].append((begun.pop(pk), at.timestamp()))
    for pk, since in begun.items():
        spans[pk].append((since, now))
    return spans


def availabilities(hosts: list[Host], now: datetime) -> dict[int, dict[str, Availability]]:
    """Each host's availability in each window."""
    end, pks = now.timestamp(), [host.pk for host in hosts]
    links, held = link_changes(pks, now - timedelta(seconds=max(WINDOWS.values()))), holds(pks, end)
    return {
        pk: {name: availability(end - width, end, links[pk], held[pk]) for name, width in WINDOWS.items()} for pk in pks
    }


def by_paddock(hosts: list[Host], each: Mapping[int, Mapping[str, Availability]]) -> dict[str, dict[str, Availability]]:
    """The same for paddocks: the time of all their hosts together."""
    members: dict[str, list[int]] = defaultdict(list)
    for host in hosts:
        members[host.paddock.name].append(host.pk)
    return {
        paddock: {window: together([each[pk][window] for pk in pks]) for window in WINDOWS}
        for paddock, pks in members.items()
    }


def flapping(hosts: list[Host], now: datetime) -> set[int]:
    """The hosts whose link comes and goes just now."""
    losses: dict[int, list[float]] = defaultdict(list)
    lost = LinkChange.objects.filter(host__in=hosts, state=Link.LOST.value, at__gte=now - timedelta(hours=1))
    for pk, at in lost.values_list("host", "at"):
        losses[pk].append(at.timestamp())
    return {pk for pk, several in losses.items() if is_flapping(several, now.timestamp())}


def readings(host: Host, name: str, start: float, end: float) -> list[tuple[float, float, float, float]]:
    """One reading of a host over time, as finely as it is kept: ``(when, least, mean, most)``, in order."""
    column = NAMES.index(name)
    now = timezone.now().timestamp()
    found: list[tuple[float, Floats]] = []
    fine_from = max(start, now - BY_MINUTE_FOR)
    coarse = end - start > BY_MINUTE_FOR
    hours = HourOfReadings.objects.filter(host=host, at__gte=_time(start - HOUR), at__lt=_time(end)).order_by("at")
    for at, minutes, whole in hours.values_list("at", "minutes", "summary"):
        begins = at.timestamp()
        if minutes is None or coarse or begins < fine_from - HOUR:
            found.append((begins + HOUR / 2, unpacked(bytes(whole), WIDTH, 3)[column]))
        else:
            rows = unpacked(bytes(minutes), -1, WIDTH, 3)[:, column]
            found += [(begins + (i + 0.5) * MINUTE, row) for i, row in enumerate(rows)]
    last = found[-1][0] if found else 0.0
    fresh_from = max(start, last + MINUTE, now - FULL_FOR - HOUR)
    fresh = FreshReadings.objects.filter(host=host, at__gte=_time(fresh_from - MINUTE), at__lt=_time(end)).order_by(
        "at"
    )
    for at, data in fresh.values_list("at", "data"):
        for row in unpacked(bytes(data), -1, WIDTH + 1):
            found.append((at.timestamp() + row[0], np.repeat(row[column + 1], 3)))
    return [
        (at, float(row[0]), float(row[1]), float(row[2]))
        for at, row in sorted(found, key=lambda one: one[0])
        if start <= at <= end and not np.isnan(row[1])
    ]


def forecasts(hosts: list[Host], now: datetime) -> list[dict[str, object]]:
    """The disks that fill up, the soonest full first: what was free by the hour, and where that leads to."""
    known = {host.pk: host for host in hosts}
    trends = []
    for health in Health.objects.filter(host__in=known, disk_trend__isnull=False):
        trend = Trend(**(health.disk_trend or {}))
        left = trend.empty_in() - (now.timestamp() - trend.at)
        if left <= FORECAST_HORIZON_SECONDS:
            trends.append((left, health.host_id, trend))
    found = []
    for left, pk, trend in sorted(trends, key=lambda one: one[:2])[:MAX_FORECASTS]:
        soon, late = trend.empty_between()
        until = trend.at + min(max(late, 1.2 * trend.empty_in()), LOOK_BACK * 2)
        found.append(
            {
                "host": known[pk].name,
                "paddock": known[pk].paddock.name,
                "full_in": max(0.0, left),
                "full_soonest": max(0.0, left - trend.empty_in() + soon),
                "full_latest": max(0.0, left - trend.empty_in() + late),
                "total": known[pk].facts.get("disk_total", 0),
                "read": _disk_by_hour(pk, now),
                "forecast": trend.line(until, 24),
            }
        )
    return found


def _disk_by_hour(host: int, now: datetime) -> list[tuple[float, float]]:
    since = now - timedelta(seconds=LOOK_BACK)
    rows = HourOfReadings.objects.filter(host=host, at__gte=since).order_by("at").values_list("at", "summary")
    column = NAMES.index("disk_free")
    values = [(at.timestamp(), float(unpacked(bytes(data), WIDTH, 3)[column, 1])) for at, data in rows]
    return [(at, value) for at, value in values if not np.isnan(value)]


def week(host: Host, days: int, now: datetime) -> dict[str, object]:
    """What happened to a host, on one time axis: link, holds, services, jobs, tools and findings. Spans are
    ``{from, to, state, detail}``, moments ``{at, what, detail}``; times in seconds since the epoch."""
    start = now - timedelta(days=days)
    begin, end = start.timestamp(), now.timestamp()
    return {
        "start": begin,
        "end": end,
        "link": _spans(LinkChange.objects.filter(host=host), ("state", "cause"), start, now),
        "holds": [
            {"start": max(a, begin), "end": b, "state": "held", "detail": ""}
            for a, b in holds([host.pk], end)[host.pk]
            if b > begin
        ],
        "services": [
            {"name": name, "spans": _spans(changes, ("state", "detail"), start, now)}
            for name, changes in _service_lanes(host)
        ],
        "jobs": [
            {
                "start": max(a.timestamp(), begin),
                "end": (b or now).timestamp(),
                "state": state,
                "detail": job,
                "job": pk,
            }
            for a, b, state, job, pk in Attempt.objects.filter(Q(ended_at=None) | Q(ended_at__gt=start), host=host)
            .exclude(started_at=None)
            .order_by("-started_at")
            .values_list("started_at", "ended_at", "state", "job__name", "job")[:MAX_EVENTS]
            if a
        ],
        "tools": [
            {"at": one.at.timestamp(), "what": one.name, "detail": f"{one.name} {one.what} at {one.place}"}
            for one in SurveyChange.objects.filter(host=host, kind=TOOL, at__gt=start).exclude(not_before=None)[
                :MAX_EVENTS
            ]
        ],
        "findings": [
            {
                "start": max(one.opened_at.timestamp(), begin),
                "end": (one.closed_at or now).timestamp(),
                "state": one.severity,
                "detail": one.title,
                "is_open": one.closed_at is None,
            }
            for one in Finding.objects.filter(Q(closed_at=None) | Q(closed_at__gt=start)).order_by("opened_at")
            if host.name in one.hosts
        ][:MAX_EVENTS],
    }


def _service_lanes(host: Host) -> list[tuple[str, QuerySet[ServiceChange]]]:
    changes = ServiceChange.objects.filter(host=host)
    names = changes.values_list("name", flat=True).order_by("name").distinct()
    return [(name, changes.filter(name=name)) for name in names]


def _spans(changes: QuerySet[Any], columns: tuple[str, str], start: datetime, end: datetime) -> list[dict[str, object]]:
    rows = list(changes.filter(at__gt=start).order_by("id").values_list("at", *columns)[:MAX_EVENTS])
    if before := changes.filter(at__lte=start).order_by("-id").values_list(*columns).first():
        rows.insert(0, (start, *before))
    ends = [*(row[0] for row in rows[1:]), end]
    return [
        {"start": at.timestamp(), "end": until.timestamp(), "state": state, "detail": detail}
        for (at, state, detail), until in zip(rows, ends, strict=False)
    ]


def shown(found: Availability) -> dict[str, object]:
    """An availability with what is made of it."""
    return {
        **{name: value for name, value in asdict(found).items() if name != "repairs"},
        "share": found.share,
        "between_losses": found.between_losses,
        "to_repair": found.to_repair,
    }


def _time(seconds: float) -> datetime:
    return datetime.fromtimestamp(max(0.0, seconds), UTC)

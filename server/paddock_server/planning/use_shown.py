"""What Plan shows of use and kinds of work, as typed values."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from django.db.models import QuerySet

from paddock_core.planning.cost import HOURS_PER_MONTH, OwnCost, RentedCost, SlotHour, slot_hour
from paddock_core.planning.kinds import Failure, arrivals_by_hour_of_week, arrivals_of_each, failures
from paddock_core.planning.past import TABLES, Past
from paddock_core.planning.speed import HostSpeed, host_speeds
from paddock_core.planning.use import Step, busy_by_hour_of_week, longest_queue, over_time, quantiles, slot_hours

from ..errors import Invalid, NotAllowed
from ..hosts.models import Host
from ..hosts.queries import visible_hosts
from ..people.actor import Actor
from ..people.models import Role
from .actions.save_costs import plan_settings
from .fleet_changes import FleetChange, fleet_changes
from .models import Cost
from .outlook import Growing, growing_kinds
from .past_store import Recorded, recorded_past, seen_in, span_of_past

GROUPINGS = ("host", "paddock", "system", "pipeline", "person", "ask")
DEFAULT_SPAN = timedelta(weeks=8)
MAX_STEPS = 180
MAX_SHARES = 40


@dataclass(frozen=True)
class Stretch:
    """What is looked at: the runs that the actor may see, between two moments, with the hosts that are there now."""

    recorded: Recorded
    past: Past
    since: datetime
    until: datetime
    zone: ZoneInfo
    hosts: list[Host]

    @property
    def slots(self) -> int:
        return sum(host.slots for host in self.hosts)


@dataclass(frozen=True)
class Share:
    """The slot-hours of one host, pipeline and so on, and of how many runs."""

    name: str
    slot_hours: float
    runs: int


@dataclass(frozen=True)
class UseShown:
    """How busy: ``week`` is the share of slots by hour of the week, shape (7, 24) from Monday, None for hours that the
    stretch does not have. Times in seconds."""

    runs: int
    slots: int
    slot_hours: float
    busy_share: float
    working_share: float | None
    median_wait: float | None
    high_wait: float | None
    longest_wait: float | None
    longest_queue: int
    week: list[list[float | None]]
    arrivals: list[list[float | None]]
    steps: list[Step]
    shares: dict[str, list[Share]]
    changes: list[FleetChange]


def stretch(actor: Actor, since: datetime | None, until: datetime | None, zone: str, paddock: str) -> Stretch:
    """Raises NotAllowed for one who may see nothing, Invalid for a zone or a time that there is not."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing the plan needs the role viewer. Ask an administrator for it.")
    span = span_of_past()
    ends = until or (span[1] if span else datetime.now(UTC))
    begins = since or min(max(ends - DEFAULT_SPAN, span[0] if span else ends - DEFAULT_SPAN), ends - timedelta(days=1))
    if span:
        # Before the first record there is nothing to count, and a share over that time would mislead.
        begins = max(begins, min(span[0], ends - timedelta(days=1)))
    if not begins < ends:
        raise Invalid("The time begins before it ends.")
    inside = actor.where(Role.VIEWER)
    seen = None if inside is None else frozenset(inside)
    if paddock:
        seen = frozenset({paddock}) if seen is None or paddock in seen else frozenset()
    hosts: QuerySet[Host] = visible_hosts(actor).filter(standing=Host.Standing.ADMITTED).select_related("paddock")
    if paddock:
        hosts = hosts.filter(paddock__name=paddock)
    recorded = recorded_past(begins, ends)
    return Stretch(recorded, seen_in(recorded.past, seen), begins, ends, ZoneInfo(zone), list(hosts))


def use_shown(seen: Stretch) -> UseShown:
    """How busy the fleet was, who used it, and who waited."""
    past, since, until = seen.past, seen.since.timestamp(), seen.until.timestamp()
    week = busy_by_hour_of_week(past, max(1, seen.slots), since, until, seen.zone)
    hours = float(slot_hours(past, "host", since, until).sum()) if len(past) else 0.0
    waits = quantiles(past.waits, (0.5, 0.95, 1.0)) if len(past) else (None, None, None)
    number = min(MAX_STEPS, max(1, round((until - since) / 86_400)))
    working = week[:5, 8:18]
    return UseShown(
        runs=len(past),
        slots=seen.slots,
        slot_hours=hours,
        busy_share=hours / max(1e-9, seen.slots * (until - since) / 3600),
        working_share=float(np.nanmean(working)) if not np.isnan(working).all() else None,
        median_wait=waits[0],
        high_wait=waits[1],
        longest_wait=waits[2],
        longest_queue=longest_queue(past),
        week=_grid(week),
        arrivals=_grid(arrivals_by_hour_of_week(past, seen.zone)),
        steps=over_time(past, np.linspace(since, until, number + 1)),
        shares={by: shares(past, by, since, until)[:MAX_SHARES] for by in GROUPINGS},
        changes=fleet_changes(seen.hosts, seen.since, seen.until),
    )


def shares(past: Past, by: str, since: float, until: float) -> list[Share]:
    """Slot-hours and runs of each entry, the largest first."""
    table = getattr(past, TABLES[by])
    hours = slot_hours(past, by, since, until)
    runs = np.bincount(getattr(past, by), minlength=len(table))
    named = [", ".join(one.terms) or "anything" for one in table] if by == "ask" else table
    rows = zip(named, hours, runs, strict=True)
    found = [Share(name or "not recorded", float(worked), int(count)) for name, worked, count in rows if count]
    return sorted(found, key=lambda one: (-one.slot_hours, one.name))


def kinds_shown(seen: Stretch) -> tuple[list[Growing], list[Failure]]:
    """The kinds of work with their cover and growth, thinnest first; and what stops if one or two hosts fail."""
    if not len(seen.past):
        return [], []
    kinds = growing_kinds(seen.past, seen.until.timestamp())
    return kinds, failures([one.kind for one in kinds])


def arrivals_shown(seen: Stretch, kinds: Sequence[Growing]) -> list[list[list[float | None]]]:
    """Jobs per hour in each hour of the week, for each kind of work."""
    groups = [np.flatnonzero(np.isin(seen.past.ask, one.kind.asks)) for one in kinds]
    return [_grid(found) for found in arrivals_of_each(seen.past, groups, seen.zone)]


def speeds_shown(seen: Stretch) -> dict[str, HostSpeed]:
    """How fast each host is, by name."""
    return host_speeds(seen.past)


def _grid(values: np.ndarray) -> list[list[float | None]]:
    return [[None if math.isnan(value) else round(float(value), 4) for value in row] for row in values]


# ---- cost ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class HostCost:
    """What a host costs a month, None where no cost was entered; and its slot-hours."""

    host: str
    paddock: str
    month: float | None
    slot_hour: SlotHour
    used_per_month: float


@dataclass(frozen=True)
class CostsShown:
    """``month`` is the sum of the hosts whose cost is known, ``unknown`` how many are not. ``rented_month`` is what the
    same slot-hours would cost on rented machines, None without a price."""

    hosts: list[HostCost]
    month: float
    unknown: int
    rented_month: float | None
    slot_hour: SlotHour


def costs_shown(seen: Stretch) -> CostsShown:
    """What the hosts cost a month, and what a slot-hour of them does."""
    settings = plan_settings()
    own = {cost.host_id: cost for cost in Cost.objects.exclude(host=None)}
    shared = {cost.paddock_id: cost for cost in Cost.objects.exclude(paddock=None)}
    days = max((seen.until - seen.since).total_seconds() / 86_400, 1e-9)
    scale = HOURS_PER_MONTH / 24 / days
    hours = slot_hours(seen.past, "host", seen.since.timestamp(), seen.until.timestamp())
    used = dict(zip(seen.past.hosts, (float(one) * scale for one in hours), strict=False))
    runs = dict(zip(seen.past.hosts, np.bincount(seen.past.host, minlength=len(seen.past.hosts)), strict=False))
    rows = []
    for host in seen.hosts:
        cost = own.get(host.pk) or shared.get(host.paddock_id)
        worked = used.get(host.name, 0.0)
        month = None if cost is None else month_of(cost, settings.energy_price, worked, runs.get(host.name, 0) * scale)
        rows.append(
            HostCost(host.name, host.paddock.name, month, slot_hour(month or 0.0, worked, host.slots), worked)
            if month is not None
            else HostCost(host.name, host.paddock.name, None, SlotHour(None, None), worked)
        )
    known = [row for row in rows if row.month is not None]
    month = sum(row.month or 0.0 for row in known)
    slots = {host.name: host.slots for host in seen.hosts}
    rented = None
    if settings.rented_per_hour > 0:
        starts = len(seen.past) * scale
        price = RentedCost(settings.rented_per_hour, settings.rented_per_start)
        rented = price.month(sum(used.get(row.host, 0.0) for row in rows), starts)
    whole = slot_hour(month, sum(row.used_per_month for row in known), sum(slots[row.host] for row in known))
    return CostsShown(rows, month, len(rows) - len(known), rented, whole if known else SlotHour(None, None))


def month_of(cost: Cost, energy_price: float, hours: float, starts: float) -> float:
    """What a cost amounts to in a month with so many hours of work and starts."""
    if cost.is_rented:
        return RentedCost(cost.per_hour, cost.per_start).month(hours, starts)
    return OwnCost(cost.price, cost.years, cost.watts, energy_price, cost.room).month()


def csv_lines(seen: Stretch, by: str) -> Sequence[tuple[str, float, int]]:
    """Name, slot-hours and runs, for a file."""
    found = shares(seen.past, by, seen.since.timestamp(), seen.until.timestamp())
    return [(one.name, round(one.slot_hours, 3), one.runs) for one in found]

"""What people see of standby, as typed values."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Q

from paddock_core.standby.decide import Mode
from paddock_core.standby.power import Power
from paddock_core.standby.saved import Rates, Saved, Span, saved, together

from ..health.queries import power_spans
from ..hosts.models import Host
from ..hosts.queries import visible_hosts
from ..people.actor import Actor
from ..people.models import Role
from ..planning.models import Cost, PlanSettings
from ..work.models import Attempt
from . import decided
from .actions.power_down import why_it_stays
from .models import PowerSettings, StandbyPolicy, Wake
from .policies import Policies
from .targets import cards_of

MAX_WAKES_SHOWN = 10
MONTHS = 6


@dataclass(frozen=True)
class PowerShown:
    """The power of one host. ``stays`` says why it cannot power down now, "" where it can; ``may_change`` is whether
    the actor may wake it and power it down; ``policy`` is the one that decides, None without any; ``hardware_known``
    are the addresses that its agent reported."""

    host: Host
    settings: PowerSettings
    policy: StandbyPolicy | None
    mode: Mode
    stays: str
    may_change: bool
    hardware_known: list[str]
    wakes: list[Wake]


def power_shown(actor: Actor, host: Host, now: datetime) -> PowerShown:
    """What the host's sheet shows."""
    policies = Policies(now)
    policy = policies.of(host)
    return PowerShown(
        host=host,
        settings=_settings_shown(actor, host),
        policy=policy,
        mode=policies.for_core(host).mode,
        stays=why_it_stays(host),
        may_change=actor.may(Role(policy.wakers) if policy else Role.OPERATOR, host.paddock.name),
        hardware_known=[card.hardware for card in cards_of(host, "")],
        wakes=list(Wake.objects.filter(host=host)[:MAX_WAKES_SHOWN]),
    )


def _settings_shown(actor: Actor, host: Host) -> PowerSettings:
    """A script and an account are for administrators: a script may hold a secret."""
    found = PowerSettings.objects.filter(host=host).select_related("script_host").first() or PowerSettings(host=host)
    if not actor.may(Role.ADMINISTRATOR, host.paddock.name):
        found.script = found.controller_user = ""
    return found


@dataclass(frozen=True)
class SleeperShown:
    """A host that a policy lets sleep, with what standby saved on it in the last 30 days."""

    host: Host
    mode: Mode
    saved: Saved


@dataclass(frozen=True)
class MonthShown:
    """What standby saved in one month."""

    month: str
    saved: Saved


@dataclass(frozen=True)
class StandbyShown:
    """Standby at a glance. ``currency`` is "" where no prices were entered. ``short`` are the paddocks whose policy
    keeps more hosts awake than there are, with how many are missing."""

    sleepers: list[SleeperShown]
    months: list[MonthShown]
    currency: str
    short: dict[str, int]


def standby_shown(actor: Actor, now: datetime) -> StandbyShown:
    """The hosts that the actor may see and that may sleep, and what standby saved on them by month."""
    policies = Policies(now)
    rows = visible_hosts(actor).filter(standing=Host.Standing.ADMITTED).select_related("paddock")
    hosts = [host for host in rows if policies.of(host) or host.power != Power.ON.value]
    record = _Record(hosts, now - timedelta(days=31 * MONTHS), now)
    last = now - timedelta(days=30)
    shown = [SleeperShown(host, policies.for_core(host).mode, record.saved(host.pk, last, now)) for host in hosts]
    months = [
        MonthShown(f"{begins:%Y-%m}", together([record.saved(host.pk, begins, ends) for host in hosts]))
        for begins, ends in _months(now)
    ]
    months = [month for month in months if month.saved.asleep_hours or month.saved.wakes]
    plan = PlanSettings.objects.first()
    short = {name: missing for name, missing in decided.short().items() if actor.may(Role.VIEWER, name)}
    return StandbyShown(shown, months, plan.currency if plan else "", short)


def _months(now: datetime) -> Iterator[tuple[datetime, datetime]]:
    """The last months, oldest first, by UTC."""
    begins = now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    spans = [(begins, now)]
    for _ in range(MONTHS - 1):
        ends, begins = begins, (begins - timedelta(days=1)).replace(day=1)
        spans.append((begins, ends))
    yield from reversed(spans)


class _Record:
    """What is recorded of the sleep of some hosts."""

    def __init__(self, some: Collection[Host], since: datetime, now: datetime) -> None:
        hosts = [host.pk for host in some]
        self._rates = _rates(some)
        self._settings = {one.host_id: one for one in PowerSettings.objects.filter(host__in=hosts)}
        self._asleep = power_spans(hosts, {Power.ASLEEP}, now.timestamp())
        self._wakes: dict[int, list[Wake]] = defaultdict(list)
        wakes = Wake.objects.filter(host__in=hosts, at__gte=since).exclude(ended_at=None)
        for wake in wakes:
            self._wakes[wake.host_id].append(wake)
        self._waits = _waits(wakes)

    def saved(self, host: int, since: datetime, until: datetime) -> Saved:
        settings = self._settings.get(host)
        wakes = [one for one in self._wakes[host] if since <= one.at < until]
        return saved(
            self._asleep.get(host, ()),
            settings.draws if settings else None,
            settings.draws_asleep if settings else None,
            [span for one in wakes for span in self._waits.get(one.pk, ())],
            sum(one.worked is True for one in wakes),
            sum(one.worked is False for one in wakes),
            since.timestamp(),
            until.timestamp(),
            self._rates[host],
        )


def _rates(hosts: Iterable[Host]) -> dict[int, Rates]:
    """What was entered in Plan for each host, or for its paddock."""
    plan = PlanSettings.objects.first()
    energy = plan.energy_price if plan else 0.0
    costs = list(Cost.objects.filter(is_rented=True))
    of_hosts = {cost.host_id: cost for cost in costs if cost.host_id}
    of_paddocks = {cost.paddock_id: cost for cost in costs if cost.paddock_id}
    owned = set(Cost.objects.filter(is_rented=False).exclude(host=None).values_list("host", flat=True))
    found = {}
    for host in hosts:
        cost = of_hosts.get(host.pk) or (None if host.pk in owned else of_paddocks.get(host.paddock_id))
        found[host.pk] = Rates(energy, cost.per_hour, cost.per_start) if cost else Rates(energy)
    return found


def _waits(wakes: Iterable[Wake]) -> dict[int, list[Span]]:
    """For each wake, when each of its jobs waited for it: from the order, or from when the job came, to its start."""
    jobs = {job for wake in wakes for job in wake.jobs}
    begun: dict[int, tuple[float, float]] = {}
    rows = Attempt.objects.filter(Q(job__in=jobs), started_at__isnull=False).order_by("number")
    for job, submitted, started in rows.values_list("job", "job__submitted_at", "started_at"):
        if started is not None:
            begun.setdefault(job, (submitted.timestamp(), started.timestamp()))
    found: dict[int, list[Span]] = {}
    for wake in wakes:
        end = wake.ended_at.timestamp() if wake.ended_at else 0.0
        spans = [
            (max(wake.at.timestamp(), begun[job][0]), min(end, begun[job][1])) for job in wake.jobs if job in begun
        ]
        found[wake.pk] = [span for span in spans if span[0] < span[1]]
    return found

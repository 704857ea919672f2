"""Puts what the core needs for a decision together, from the queue, the fleet and the policies as they are now."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from django.conf import settings
from django.db.models import F, Max, OuterRef, QuerySet, Subquery

from paddock_core.lifecycle import LIVE
from paddock_core.standby.decide import Decision, Mode, Sleeper, Wanted, decide, expected_end
from paddock_core.standby.power import Power, wake_odds

from ..health import watches
from ..health.actions.note_power import wakes_of
from ..hosts.awake import needed_on
from ..hosts.models import Host
from ..work import open_work
from ..work.fence import fences
from ..work.fleet import cached_fleet
from ..work.models import Attempt
from ..work.recent_usage import recent_usage
from ..work.round import behind_others, readable
from .models import PowerSettings, Wake
from .policies import Policies


def decision(now: datetime) -> Decision:
    """What standby wants now. Called in the writer, so nothing changes while it decides."""
    policies = Policies(now)
    sleepers = list(_sleepers(policies, now)) if policies.let_sleep else []
    if not sleepers:
        return Decision()
    jobs = open_work.waiting()
    requirements, _ = readable(jobs, fences())
    later = behind_others(jobs)
    wanted = [
        Wanted(job.pk, requirements[job.pk])
        for job in sorted(jobs, key=lambda job: (-job.priority, job.submitted_at, job.pk))
        if job.pk in requirements and job.pk not in later
    ]
    with cached_fleet() as index:
        return decide(
            now.timestamp(),
            index,
            sleepers,
            wanted,
            _ends(now),
            list(policies.keeps()),
            settings.STANDBY_SETTLE_SECONDS,
        )


def _sleepers(policies: Policies, now: datetime) -> Iterable[Sleeper]:
    """The hosts that a policy lets sleep; those that may not power down count too, because they may be asleep."""
    rows = Host.objects.filter(standing=Host.Standing.ADMITTED).select_related("paddock")
    policy_of = {host: policy for host in rows if (policy := policies.for_core(host)).mode is not Mode.NEVER}
    managed = [host.pk for host in policy_of]
    allowed = set(PowerSettings.objects.filter(host__in=managed, may_power_down=True).values_list("host", flat=True))
    working = set(_live().values_list("host", flat=True))
    # A job that ended before any policy's idle time says nothing more than that there was one.
    longest = timedelta(seconds=max((policy.idle_seconds for policy in policy_of.values()), default=0.0))
    last_end = dict(
        Attempt.objects.filter(host__in=managed, ended_at__gte=now - longest)
        .values_list("host")
        .annotate(at=Max("ended_at"))
        .values_list("host", "at")
    )
    off = [host.pk for host in policy_of if host.power in (Power.ASLEEP.value, Power.NOT_WAKING.value)]
    wakes = wakes_of(off)
    needed = needed_on()
    returning = _returning(managed)
    for host, policy in policy_of.items():
        power = Power(host.power)
        since = max(filter(None, (host.power_since, host.link_since)), default=now)
        idle = max(filter(None, (last_end.get(host.pk), since)))
        yield Sleeper(
            host=host.name,
            power=power,
            since=(host.power_since or since).timestamp() if power is not Power.ON else since.timestamp(),
            policy=policy,
            idle_since=None if host.pk in working else idle.timestamp(),
            wake_seconds=host.wake_seconds,
            odds=wake_odds(wakes[host.pk]) if host.pk in wakes else 1.0,
            stays=host.pk not in allowed or watches.order_for(host.pk) != 0,
            wanted_by=needed.get(host.pk, ""),
            returns=host.pk in returning,
        )


def _returning(hosts: Sequence[int]) -> set[int]:
    """Those that are on because other work woke them."""
    last = Wake.objects.filter(host=OuterRef("pk")).order_by("-id")
    return set(
        Host.objects.filter(pk__in=hosts, power=Power.ON.value)
        .annotate(returns=Subquery(last.values("returns")[:1]), woke_at=Subquery(last.values("ended_at")[:1]))
        .filter(returns=True, power_since__lte=F("woke_at"))
        .exclude(power_since__lt=F("woke_at") - timedelta(minutes=1))
        .values_list("pk", flat=True)
    )


def _live() -> QuerySet[Attempt]:
    return Attempt.objects.filter(state__in=[state.value for state in LIVE])


def _ends(now: datetime) -> list[tuple[str, float]]:
    """When each slot that works is expected to come free."""
    recent = recent_usage()
    found = []
    rows = _live().values_list("host__name", "job__pipeline", "job__name", "job__slots", "started_at")
    for host, pipeline, name, slots, began in rows:
        took = (now - began).total_seconds() if began else 0.0
        end = expected_end(now.timestamp(), took, recent.expected(pipeline, name))
        found += [(host, end)] * slots
    return found

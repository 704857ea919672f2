"""The fleet as the rules of the core see it. Cached between evaluations; only changed hosts are read again."""

from __future__ import annotations

import math
import time
from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import chain
from typing import Any

import msgspec
from django.conf import settings
from django.db.models import Count, Q
from django.utils import timezone

from paddock_agent import wire
from paddock_core.findings import (
    Finding,
    FleetSeen,
    HostSeen,
    PassSeen,
    Possibility,
    WatchedService,
    WatchSeen,
    look_at_host,
    together,
)
from paddock_core.findings.observed import Anomaly, BackupsSeen, Failing, GuessingSeen, RefusedVersion, TokenSeen
from paddock_core.lifecycle import AttemptState
from paddock_core.link_state import FLAPPING_WINDOW, Link
from paddock_core.proportions import Contrast, Tally, contrasts
from paddock_core.standby.power import Power
from paddock_core.trend import Trend

from ..hosts.models import LIVING, EntryPass, Host
from ..housekeeping.models import BackupRun
from ..housekeeping.schedule import backup_schedule
from ..housekeeping.storage_use import disk_trend
from ..install.index import agent_held_since, agent_version
from ..people.log_in_guard import ongoing_guessing
from ..people.models import Token
from ..process import vitals
from ..work.models import Attempt
from . import watches
from .models import Health, LinkChange
from .models import WatchedService as WatchedRow
from .reevaluation import dirty_hosts

DISK_INTERVAL_SECONDS = 600.0
OLDEST_AGENT = "0.1.0"
"""The oldest agent that this server supports."""
LOOK_AGAIN = 12
"""A host about which nothing has changed is looked at in every twelfth look: some findings are of time alone."""
NO_CAUSES = ("starting", "not examined")
"""Not a trouble yet: the next report says whether it becomes one; and nothing that was found out."""
EVIDENCE_REPORTS = 2.5
"""So many reports later, evidence is too old to explain what the watch says now."""
CONTRASTS_OVER = timedelta(days=7)
CONTRASTS_REST = 20.0
"""Comparing all hosts' failures rests so many times as long as it took, so that it costs a twentieth at most."""


class SeenFleet:
    """What is kept between looks: each host as the rules saw it last, and what they found. Used by one thread at a
    time.

    A host is looked at again when something about it has changed, when it is away or has a finding, and otherwise once
    in a while: a fleet that is well costs next to nothing.
    """

    def __init__(self) -> None:
        self._hosts: dict[int, HostSeen] = {}
        self._found: dict[int, tuple[Finding, ...]] = {}
        self._looked_at: dict[int, float] = {}
        self._contrasts: Mapping[str, Contrast] = {}
        self._contrasts_due = 0.0
        self._began = time.time()
        self._disk: Trend | None = None
        self._disk_due = 0.0

    def look(self, now: float) -> list[Finding]:
        """All findings at ``now``, in seconds since the epoch."""
        changed = self._apply_changes()
        self._compare()
        losses, unanswered = _losses(), _unanswered()
        for pk, host in self._hosts.items():
            newest = vitals.of(pk)
            if not (
                pk in changed
                or newest.has_moved
                or self._found.get(pk)
                or host.is_away
                or pk in losses
                or pk in unanswered
                or now - self._looked_at.get(pk, 0.0) > LOOK_AGAIN * settings.FINDINGS_SECONDS
            ):
                continue
            readings: dict[str, Any] = dict(newest.look())
            seen = replace(
                host,
                **readings,
                watch=replace(host.watch, at=watches.heard_at(pk, host.watch.at)) if host.watch else None,
                losses=losses.get(pk, ()),
                unanswered=unanswered.get(pk, ()),
                contrast=self._contrasts.get(host.name),
                listening_since=self._began,
            )
            self._hosts[pk] = seen
            self._found[pk], self._looked_at[pk] = look_at_host(seen, now), now
        backups = _backups(self._began)
        fleet = FleetSeen(
            tuple(self._hosts.values()), _passes(), _guessing(), _tokens(), backups, self._server_disk(now)
        )
        return together(fleet, chain.from_iterable(self._found.values()), now)

    def _server_disk(self, now: float) -> Trend | None:
        """The trend changes by the hour."""
        if now >= self._disk_due:
            self._disk = disk_trend(timezone.now())
            self._disk_due = now + DISK_INTERVAL_SECONDS
        return self._disk

    def _apply_changes(self) -> set[int]:
        """Reads the changed hosts again and returns them."""
        if dirty_hosts().everything:
            dirty_hosts().everything = False
            dirty_hosts().hosts.clear()
            self._hosts = _read(None)
            self._found = {}
            return set(self._hosts)
        names = dirty_hosts().hosts.copy()
        if not names:
            return set()
        dirty_hosts().hosts -= names
        fresh = _read(names)
        for pk in [pk for pk, host in self._hosts.items() if host.name in names and pk not in fresh]:
            del self._hosts[pk]
            self._found.pop(pk, None)
            self._looked_at.pop(pk, None)
        self._hosts |= fresh
        return set(fresh)

    def _compare(self) -> None:
        began = time.monotonic()
        if dirty_hosts().jobs_ended and began >= self._contrasts_due:
            dirty_hosts().jobs_ended = False
            self._contrasts = contrasts(_tallies())
            ended = time.monotonic()
            self._contrasts_due = ended + CONTRASTS_REST * (ended - began)
            outstanding = {name for name, one in self._contrasts.items() if one.stands_out}
            for pk, host in self._hosts.items():
                if host.name in outstanding:
                    self._looked_at.pop(pk, None)


def _read(names: Collection[str] | None) -> dict[int, HostSeen]:
    hosts = Host.objects.filter(standing__in=LIVING).select_related("paddock", "health")
    rows = WatchedRow.objects.all()
    if names is not None:
        hosts, rows = hosts.filter(name__in=names), rows.filter(host__name__in=names)
    watched: dict[int, list[WatchedService]] = defaultdict(list)
    for pk, name, running, since in rows.values_list("host", "name", "running", "since"):
        watched[pk].append(WatchedService(name, running, since.timestamp()))
    machines = Host.objects.filter(standing__in=LIVING).exclude(machine="").values("machine").order_by("machine")
    shared = set(machines.annotate(agents=Count("pk")).filter(agents__gt=1).values_list("machine", flat=True))
    newest = agent_version(), agent_held_since()
    return {host.pk: _seen(host, tuple(watched[host.pk]), host.machine in shared, newest) for host in hosts}


def _seen(
    host: Host, services: tuple[WatchedService, ...], shares_machine: bool, newest: tuple[str, float]
) -> HostSeen:
    facts = host.facts
    health = getattr(host, "health", None) or Health()
    anomalies = {kind: Anomaly(one["at"], one["sentence"]) for kind, one in health.anomalies.items()}
    family = facts.get("os", "linux")
    return HostSeen(
        name=host.name,
        paddock=host.paddock.name,
        family=family if family in ("linux", "macos", "windows") else "linux",
        address=host.address,
        is_admitted=host.standing == Host.Standing.ADMITTED,
        holding=host.holding,
        link=Link(host.link),
        link_since=_seconds(host.link_since),
        link_cause=host.link_cause,
        kept_by=facts.get("kept_by", ""),
        boot=facts.get("boot", ""),
        account=facts.get("user", ""),
        agent_version=facts.get("agent_version", ""),
        oldest_agent=OLDEST_AGENT,
        newest_agent=newest[0],
        newest_since=newest[1],
        refused=tuple(RefusedVersion(one["version"], one["at"], one["why"]) for one in health.refused_versions),
        failing=_failing(host),
        failing_since=_seconds(host.cannot_since),
        work_folder=facts.get("work_folder", ""),
        outdated=tuple(one["name"] for one in facts.get("differs", ())),
        disk_total=facts.get("disk_total", math.nan),
        memory=facts.get("memory", math.nan),
        disk_trend=Trend(**health.disk_trend) if health.disk_trend else None,
        watch=watch_seen(health, None if host.link == Link.CONNECTED else host.link_since),
        watch_every=settings.WATCH_SECONDS,
        watch_may_start=host.paddock.watch_may_start,
        services=services,
        clone=anomalies.get("clone"),
        rate_limited=anomalies.get("rate_limited"),
        invalid_reading=anomalies.get("invalid_reading"),
        rejected_report=anomalies.get("rejected_report"),
        certificate_ends=_seconds(health.certificate_ends, math.nan),
        shares_machine=shares_machine,
        power=Power(host.power),
        power_since=_seconds(host.power_since),
        power_evidence=tuple((one["what"], one["at"]) for one in health.power_evidence),
        down_failed=health.down_failed,
    )


def _failing(host: Host) -> tuple[Failing, ...]:
    """What the host cannot do, explained."""
    parts = [wire.failed_trials.Part(one["part"], one["why"], one.get("facts", {})) for one in host.cannot]
    facts = host.facts
    agent = wire.failed_trials.Agent(facts.get("user", ""), facts.get("kept_by", ""), facts.get("os", "linux"))
    return tuple(
        Failing(one.cause, one.sentence, one.known, one.unknown, one.remedy, one.commands)
        for one in wire.failed_trials.explain(parts, agent)
    )


def watch_seen(health: Health, away_since: datetime | None = None) -> WatchSeen | None:
    """The last report of the watch, as the rules need it; None if there was none. Of a host that is
    away, evidence counts from ``away_since`` on; one that is connected has none but that of its service's unit."""
    if not health.report or health.reported_at is None:
        return None
    report = msgspec.convert(health.report, wire.WatchReport)
    state, diagnosis = report.state, wire.diagnose(report.state)
    return WatchSeen(
        at=watches.heard_at(health.host_id, health.reported_at.timestamp()),
        since=_seconds(health.state_since),
        service=state.name,
        running=state.running,
        starts_at_boot=state.starts_at_boot,
        start_type=state.start_type,
        account=state.account,
        cause=state.cause.value,
        code=state.code,
        restarts=state.restarts,
        sentence="" if diagnosis.is_well else diagnosis.sentence,
        remedy=() if diagnosis.is_well else diagnosis.remedy,
        lines=state.evidence,
        on_purpose=report.on_purpose,
        boot=report.boot,
        booted_at=report.at - report.uptime,
        started_at=_seconds(health.started_at),
        starts_left=report.starts_left,
        diagnosis=None if away_since is None and not state.unit_trouble else _diagnosed(health, away_since),
    )


def _diagnosed(health: Health, away_since: datetime | None) -> Failing | None:
    """What the evidence of the last examination says, where that belongs to the last report."""
    if not health.evidence or not health.examined_at or not health.reported_at:
        return None
    if away_since is not None and health.examined_at < away_since:
        return None
    if health.reported_at - health.examined_at > timedelta(seconds=EVIDENCE_REPORTS * settings.WATCH_SECONDS):
        return None
    found = wire.diagnose_evidence(msgspec.convert(health.evidence, wire.Evidence))
    if not found.cause or found.cause in NO_CAUSES:
        return None
    possible = tuple(Possibility(one.sentence, one.command) for one in found.possible)
    return Failing(found.cause, found.sentence, found.known, found.unknown, found.remedy, found.commands, possible)


def _losses() -> dict[int, tuple[float, ...]]:
    since = timezone.now() - timedelta(seconds=FLAPPING_WINDOW)
    found: dict[int, list[float]] = defaultdict(list)
    lost = LinkChange.objects.filter(at__gte=since, state=Link.LOST.value).order_by("at")
    for pk, at in lost.values_list("host", "at"):
        found[pk].append(at.timestamp())
    return {pk: tuple(several) for pk, several in found.items()}


def _unanswered() -> dict[int, tuple[float, ...]]:
    """Offers of the last hour that expired unanswered while the host was connected."""
    since = timezone.now() - timedelta(hours=1)
    found: dict[int, list[float]] = defaultdict(list)
    gone = Attempt.objects.filter(state=AttemptState.LOST.value, started_at=None, ended_at__gte=since)
    for pk, at in gone.values_list("host", "ended_at"):
        assert at
        found[pk].append(at.timestamp())
    return {pk: tuple(several) for pk, several in found.items()}


def _tallies() -> list[Tally]:
    """The attempts of the last week that a host could be blamed for: those that ran to their own end."""
    ran = Attempt.objects.filter(
        ended_at__gte=timezone.now() - CONTRASTS_OVER,
        state__in=[AttemptState.PASSED.value, AttemptState.FAILED.value, AttemptState.TIMED_OUT.value],
    )
    counted = ran.values_list("host__name", "job__pipeline", "job__name").annotate(
        tries=Count("id"), passed=Count("id", filter=Q(state=AttemptState.PASSED.value))
    )
    return [
        Tally(host, f"{name} of {pipeline}", tries - passed, tries)
        for host, pipeline, name, tries, passed in counted.order_by()
    ]


def _passes() -> tuple[PassSeen, ...]:
    good = EntryPass.objects.filter(revoked_at=None, ends_at__gt=timezone.now()).select_related("paddock")
    return tuple(
        PassSeen(one.name, one.paddock.name, one.ends_at.timestamp(), one.uses - one.used, one.used > 0) for one in good
    )


def _guessing() -> tuple[GuessingSeen, ...]:
    return tuple(
        GuessingSeen(one.subject, one.kind == "account", one.tries, one.first_at.timestamp(), one.last_at.timestamp())
        for one in ongoing_guessing(timezone.now())
    )


def _tokens() -> tuple[TokenSeen, ...]:
    living = Token.objects.filter(revoked_at=None, ends_at__gt=timezone.now(), user__is_active=True)
    return tuple(
        TokenSeen(
            token.name,
            token.user.get_username(),
            _seconds(token.ends_at),
            _seconds(token.last_used_at),
            token.last_used_from,
        )
        for token in living.select_related("user")
    )


def _backups(began: float) -> BackupsSeen | None:
    schedule = backup_schedule()
    if schedule is None:
        return None
    last = BackupRun.objects.first()
    made = BackupRun.objects.filter(trouble="").first()
    failed = BackupRun.objects.exclude(trouble="")
    if made:
        failed = failed.filter(began_at__gt=made.began_at)
    first_failed = failed.last()
    return BackupsSeen(
        schedule.interval.total_seconds(),
        began,
        _seconds(made.ended_at if made else None),
        _seconds(last.ended_at if last else None),
        last.trouble if last else "",
        _seconds(first_failed.began_at if first_failed else None),
    )


def _seconds(moment: datetime | None, otherwise: float = 0.0) -> float:
    return moment.timestamp() if moment else otherwise

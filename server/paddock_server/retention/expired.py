"""Queries for expired records, shared by the preview and the removal."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db.models import CharField, Exists, OuterRef, Q, QuerySet, Subquery, Value
from django.db.models.functions import Coalesce

from paddock_core.retention import RecordKind, RetentionRule, overruling

from ..health.models import Finding
from ..logbook.models import Entry, SyslogPosition
from ..planning.models import OWN, PastDay
from ..runs.models import TestCase
from ..settings_file import value_of
from ..toolchains.models import SurveyChange
from ..work.models import Attempt, Job

Records = QuerySet[Any]


@dataclass(frozen=True)
class Fields:
    """Where the records of a kind have their paddock's name, their pipeline, and the moment from which they age."""

    paddock: str
    pipeline: str
    at: str


FIELDS = {
    RecordKind.FILES: Fields("host__paddock__name", "job__pipeline", "ended_at"),
    RecordKind.TESTS: Fields("attempt__host__paddock__name", "attempt__job__pipeline", "attempt__ended_at"),
    RecordKind.JOBS: Fields("last_paddock", "pipeline", "ended_at"),
    RecordKind.SURVEYS: Fields("host__paddock__name", "", "at"),
    RecordKind.USE: Fields("", "", "day"),
    RecordKind.FINDINGS: Fields("paddock", "", "closed_at"),
    RecordKind.LOGBOOK: Fields("paddock", "", "at"),
}


def expired(rules: Sequence[RetentionRule], now: datetime) -> Iterator[tuple[RetentionRule, Records]]:
    """For each rule that ends something, what it ends, the oldest first. No record is in two of them."""
    for rule in rules:
        if rule.days:
            yield rule, _expired(rule, rules, now)


def _expired(rule: RetentionRule, rules: Sequence[RetentionRule], now: datetime) -> Records:
    fields = FIELDS[rule.kind]
    found = _ALL[rule.kind]().filter(_within(rule, fields))
    for other in overruling(rule, rules):
        found = found.exclude(_within(other, fields))
    before = now - timedelta(days=rule.days)
    found = found.filter(**{f"{fields.at}__lt": before.date() if rule.kind is RecordKind.USE else before})
    if rule.keep_last:
        found = found.filter(_has_later_runs(_JOB_OF[rule.kind], rule.keep_last))
    return found.order_by(fields.at, "pk")


def _within(rule: RetentionRule, fields: Fields) -> Q:
    found = Q()
    if rule.paddock:
        found &= Q(**{fields.paddock: rule.paddock})
    if rule.pipeline:
        found &= Q(**{fields.pipeline: rule.pipeline})
    return found


_JOB_OF = {RecordKind.FILES: "job__", RecordKind.TESTS: "attempt__job__", RecordKind.JOBS: ""}


def _has_later_runs(job: str, number: int) -> Exists:
    """Whether ``number`` runs of the same job ended later, so that this one is not among the last."""
    later = Job.objects.filter(pipeline=OuterRef(f"{job}pipeline"), name=OuterRef(f"{job}name")).filter(
        Q(ended_at__gt=OuterRef(f"{job}ended_at"))
        | Q(ended_at=OuterRef(f"{job}ended_at"), pk__gt=OuterRef(f"{job}pk" if job else "pk"))
    )
    return Exists(later.order_by("ended_at")[number - 1 : number])


def _ended_jobs() -> Records:
    """Those that no open job waits for, with the paddock in which they ran last."""
    needed = {number for after in Job.objects.filter(ended_at=None).values_list("after", flat=True) for number in after}
    paddock = Attempt.objects.filter(job=OuterRef("pk")).order_by("-number").values("host__paddock__name")[:1]
    return (
        Job.objects.exclude(ended_at=None)
        .exclude(pk__in=needed)
        .annotate(last_paddock=Coalesce(Subquery(paddock), Value(""), output_field=CharField()))
    )


def _sent_entries() -> Records:
    """Lines of the logbook, where it goes out as syslog only those that went."""
    entries = Entry.objects.all()
    if value_of("syslog"):
        position = SyslogPosition.objects.first()
        entries = entries.filter(pk__lte=position.entry if position else 0)
    return entries


def _recorded_days() -> Records:
    """All but the last one of this server's own: the days after it are the ones that are still to be filed."""
    last = PastDay.objects.filter(source=OWN).order_by("-day").values("pk")[:1]
    return PastDay.objects.exclude(pk__in=list(last.values_list("pk", flat=True)))


_ALL: dict[RecordKind, Callable[[], Records]] = {
    RecordKind.FILES: lambda: Attempt.objects.filter(removed_at=None).exclude(ended_at=None),
    RecordKind.TESTS: lambda: TestCase.objects.exclude(attempt__ended_at=None),
    RecordKind.JOBS: _ended_jobs,
    RecordKind.SURVEYS: SurveyChange.objects.all,
    RecordKind.USE: _recorded_days,
    RecordKind.FINDINGS: lambda: Finding.objects.exclude(closed_at=None),
    RecordKind.LOGBOOK: _sent_entries,
}

"""Removes records that no rule keeps any longer."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from paddock_core.retention import RecordKind, RetentionRule

from ...health.models import Finding
from ...logbook.models import Entry
from ...logbook.write import write
from ...people.actor import SERVER
from ...planning.models import PastDay
from ...runs.models import TestCase
from ...storage import action
from ...toolchains.models import SurveyChange
from ...work.models import Attempt, Job, Submission

_ROWS: dict[RecordKind, type[TestCase | SurveyChange | PastDay | Finding | Entry]] = {
    RecordKind.TESTS: TestCase,
    RecordKind.SURVEYS: SurveyChange,
    RecordKind.USE: PastDay,
    RecordKind.FINDINGS: Finding,
    RecordKind.LOGBOOK: Entry,  # in bulk, which its model does not refuse: retention alone may
}


@action
def remove_expired(rule: RetentionRule, numbers: Sequence[int], now: datetime) -> None:
    """``numbers`` are of records, or of attempts whose logs and files are gone already."""
    if rule.kind is RecordKind.FILES:
        Attempt.objects.filter(pk__in=numbers).update(removed_at=now)
    elif rule.kind is RecordKind.JOBS:
        sent = set(Job.objects.filter(pk__in=numbers).values_list("submission", flat=True)) - {None}
        Job.objects.filter(pk__in=numbers).delete()
        Submission.objects.filter(pk__in=sent, jobs=None).delete()
    else:
        _ROWS[rule.kind].objects.filter(pk__in=numbers).delete()
    details: dict[str, object] = {"records": len(numbers), "older_than_days": rule.days}
    if rule.pipeline:
        details["pipeline"] = rule.pipeline
    write(SERVER, "removed expired", "retention", rule.kind.value, rule.paddock, details)

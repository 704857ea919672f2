"""Opens, changes and closes findings as the rules find."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC, datetime

from django.utils import timezone

from paddock_core.findings import Evidence, Possibility, Remedy, Severity, after
from paddock_core.findings import Finding as Found

from ...changes import announce
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ..events import FindingChanged, finding_changed
from ..models import Finding


@action
def save_findings(found: Sequence[Found]) -> None:
    """Sets what the rules found against what is open, and writes down what has changed."""
    records = {one.key: one for one in Finding.objects.filter(closed_at=None)}
    change = after({key: as_found(record) for key, record in records.items()}, found)
    now = timezone.now()
    for one in change.opened:
        record = Finding(key=one.key[:400], opened_at=now)
        _fill(record, one)
        record.save()
        write(
            SERVER, "found", "finding", f"{one.title}: {_where(record)}", one.paddock, {"sentence": one.sentence[:500]}
        )
        finding_changed.send(FindingChanged(record, "opened"))
        _tell(record)
    for one in change.changed:
        record = records[one.key]
        was = record.severity, record.sentence, record.hosts
        _fill(record, one)
        record.save()
        if (record.severity, record.sentence, record.hosts) != was:
            _tell(record)
    for key in change.closed:
        record = records[key]
        record.closed_at = now
        record.save(update_fields=["closed_at"])
        write(SERVER, "saw the end of", "finding", f"{record.title}: {_where(record)}", record.paddock)
        finding_changed.send(FindingChanged(record, "closed"))
        _tell(record)


def as_found(record: Finding) -> Found:
    """The record as the rules would have found it."""
    return Found(
        code=record.code,
        title=record.title,
        severity=Severity(record.severity),
        sentence=record.sentence,
        since=record.since.timestamp(),
        evidence=tuple(Evidence(**one) for one in record.evidence),
        remedy=Remedy(record.remedy["sentence"], tuple(record.remedy["commands"]), record.remedy["action"]),
        about=record.about,
        hosts=tuple(record.hosts),
        paddock=record.paddock,
        unknown=record.unknown,
        possible=tuple(Possibility(**one) for one in record.possible),
    )


def _fill(record: Finding, found: Found) -> None:
    record.code, record.about, record.title = found.code, found.about[:300], found.title
    record.severity, record.sentence = found.severity.value, found.sentence
    # Where the rule does not know since when, it is since it was found.
    record.since = datetime.fromtimestamp(found.since, UTC) if found.since else record.opened_at
    record.evidence = [asdict(one) for one in found.evidence]
    record.remedy = asdict(found.remedy)
    record.hosts, record.paddock = list(found.hosts), found.paddock
    record.unknown, record.possible = found.unknown, [asdict(one) for one in found.possible]


def _where(record: Finding) -> str:
    return record.hosts[0] if len(record.hosts) == 1 else record.about or record.paddock


def _tell(record: Finding) -> None:
    announce("finding", record.pk, record.paddock)

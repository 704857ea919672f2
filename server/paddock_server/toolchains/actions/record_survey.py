"""Takes in what an agent's survey found. Only what differs from the survey before is written."""

from __future__ import annotations

import hashlib
from datetime import datetime

import msgspec
from django.utils import timezone

from paddock_agent import wire
from paddock_core.surveys import TOOL, Change, changes

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import agent_of
from ...storage import action
from ..events import Surveyed, surveyed
from ..models import Installation, SurveyChange
from ..snapshots import snapshot, snapshot_of

FIELDS = ("tool", "version", "path", "home", "plain", "evidence", "exit_code", "output")
MAX_CHANGES = 5000
"""Of one survey. A host whose surveys all differ would fill the disk. The rest is left out, with a note."""
MAX_NAMED = 200


@action
def record_survey(host: Host, report: wire.SurveyReport) -> None:
    """Replaces what was known of the host's tools and details; unchanged installations keep their ``seen_since``."""
    now = timezone.now()
    first = host.surveyed_at is None
    fingerprint = _digest(report)
    changed = first or fingerprint != host.survey_digest
    if changed:
        _save_changes_since(host, report, now)
        host.broken = msgspec.to_builtins(report.broken)
        host.details = msgspec.to_builtins(report.details)
        host.looked_for = report.looked_for
        host.survey_digest = fingerprint
    host.facts = msgspec.to_builtins(report.facts)
    host.surveyed_at, host.survey_took = now, max(0.0, min(report.took, 86_400.0))
    host.probes, host.probes_refused = report.catalogue, report.refused
    host.save(
        update_fields=[
            *(["broken", "details", "looked_for", "survey_digest"] if changed else []),
            *("facts", "surveyed_at", "survey_took", "probes", "probes_refused"),
        ]
    )
    announce("host", host.name, host.paddock.name)
    surveyed.send(Surveyed(host, report.marks))


def _digest(report: wire.SurveyReport) -> str:
    """Equal for surveys that found the same. Free disk space does not count."""
    facts = msgspec.structs.replace(report.facts, disk_free=0)
    parts = [facts, report.details, report.looked_for, report.broken, *report.installations]
    return hashlib.sha256(msgspec.json.encode(parts)).hexdigest()


def _save_changes_since(host: Host, report: wire.SurveyReport, now: datetime) -> None:
    first = host.surveyed_at is None
    before = {} if first else snapshot_of(host)
    found = {(one.tool, one.version, one.path): one for one in report.installations}
    known = {(one.tool, one.version, one.path): one for one in host.installations.all()}
    gone = [row.pk for key, row in known.items() if key not in found]
    Installation.objects.filter(pk__in=gone).delete()
    fresh, other = [], []
    for key, one in found.items():
        fields = {name: getattr(one, name) for name in FIELDS} | {"also": one.also}
        row = known.get(key)
        if row is None:
            fresh.append(Installation(host=host, seen_since=now, **fields))
        elif any(getattr(row, name) != value for name, value in fields.items()):
            for name, value in fields.items():
                setattr(row, name, value)
            other.append(row)
    Installation.objects.bulk_create(fresh)
    Installation.objects.bulk_update(other, [*FIELDS, "also"])
    facts, details = msgspec.to_builtins(report.facts), msgspec.to_builtins(report.details)
    tools = [(one.tool, one.version, one.path, one.home, one.plain) for one in found.values()]
    after = snapshot(tools, msgspec.to_builtins(report.broken), facts, details)
    _save_changes(host, changes(before, after), report.because, now)


def _save_changes(host: Host, found: list[Change], because: str, now: datetime) -> None:
    """Saves the changes; those of the first survey start the history and need no acceptance."""
    accepted = now if host.surveyed_at is None else None
    SurveyChange.objects.bulk_create(
        SurveyChange(
            host=host, kind=one.thing[0][:20], name=one.thing[1][:200], place=one.thing[2][:2000], what=one.what.value,
            before=one.before, after=one.after, not_before=host.surveyed_at, at=now, because=because[:40],
            accepted_at=accepted, accepted_by="the first survey" if accepted else "",
        )
        for one in found[:MAX_CHANGES]
    )  # fmt: skip
    tools = [one for one in found if one.thing[0] == TOOL]
    named = [f"{one.thing[1]} {(one.after or one.before or {}).get('version', '')}".strip() for one in tools]
    by_what: dict[str, list[str]] = {}
    for one, name in zip(tools, named, strict=True):
        by_what.setdefault(one.what.value, []).append(name)
    if found:
        parts = {what: sorted(names)[:MAX_NAMED] for what, names in by_what.items()}
        others = {"others": len(found) - len(tools)} if len(found) > len(tools) else {}
        write(agent_of(host.name), "surveyed", "host", host.name, host.paddock.name, {**parts, **others})

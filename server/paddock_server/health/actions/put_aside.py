"""Acknowledges a finding, snoozes it till a time, or takes either back. It stays open, and closes by itself."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Finding

LONGEST_SNOOZE = timedelta(days=90)


@action
@requires(Role.OPERATOR, "Putting findings aside", of="finding.paddock")
def acknowledge(actor: Actor, finding: Finding, note: str = "") -> None:
    """Somebody knows, and sees to it: it is no longer among what needs a hand."""
    _demand_open(finding)
    finding.acknowledged_by, finding.acknowledged_at, finding.note = actor.name, timezone.now(), note
    _save(actor, finding, "acknowledged", note=note)


@action
@requires(Role.OPERATOR, "Putting findings aside", of="finding.paddock")
def snooze(actor: Actor, finding: Finding, until: datetime, note: str = "") -> None:
    """It comes back at ``until`` if it is still open. Raises Invalid for a time that is past or too far."""
    _demand_open(finding)
    now = timezone.now()
    if not now < until <= now + LONGEST_SNOOZE:
        raise Invalid(f"A finding is snoozed till a time between now and {LONGEST_SNOOZE.days} days from now.")
    finding.snoozed_until, finding.note = until, note or finding.note
    _save(actor, finding, "snoozed", until=until.isoformat(), note=note)


@action
@requires(Role.OPERATOR, "Putting findings aside", of="finding.paddock")
def bring_back(actor: Actor, finding: Finding) -> None:
    """It is among what needs a hand again."""
    _demand_open(finding)
    finding.acknowledged_by, finding.acknowledged_at, finding.snoozed_until = "", None, None
    _save(actor, finding, "brought back")


def _demand_open(finding: Finding) -> None:
    if finding.closed_at:
        raise NotNow("This finding has closed by itself meanwhile: the trouble is over.")


def _save(actor: Actor, finding: Finding, verb: str, **details: object) -> None:
    finding.save(update_fields=["acknowledged_by", "acknowledged_at", "note", "snoozed_until"])
    where = finding.hosts[0] if len(finding.hosts) == 1 else finding.about
    kept = {name: value for name, value in details.items() if value}
    write(actor, verb, "finding", f"{finding.title}: {where}", finding.paddock, kept)
    announce("finding", finding.pk, finding.paddock)

"""Snoozes a finding until a time. It stays open until it closes by itself."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone

from ...errors import Invalid
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Finding
from ..open_finding import CHANGING, demand_open, save

MAX_SNOOZE = timedelta(days=90)


@action
@requires(Role.OPERATOR, CHANGING, of="finding.paddock")
def snooze(actor: Actor, finding: Finding, until: datetime, note: str = "") -> None:
    """The finding returns to *needs a hand* at ``until`` if it is still open. Raises Invalid for a time that is past
    or too far, NotNow if it has closed."""
    demand_open(finding)
    now = timezone.now()
    if not now < until <= now + MAX_SNOOZE:
        raise Invalid(f"Snooze a finding until a time within the next {MAX_SNOOZE.days} days.")
    finding.snoozed_until, finding.note = until, note or finding.note
    save(actor, finding, "snoozed", until=until.isoformat(), note=note)

"""Acknowledges a finding. It stays open until it closes by itself."""

from __future__ import annotations

from django.utils import timezone

from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Finding
from ..open_finding import CHANGING, demand_open, save


@action
@requires(Role.OPERATOR, CHANGING, of="finding.paddock")
def acknowledge(actor: Actor, finding: Finding, note: str = "") -> None:
    """The finding leaves *needs a hand*. Raises NotNow if it has closed."""
    demand_open(finding)
    finding.acknowledged_by, finding.acknowledged_at, finding.note = actor.name, timezone.now(), note
    save(actor, finding, "acknowledged", note=note)

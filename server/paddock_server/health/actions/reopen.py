"""Reopens a finding that was acknowledged or snoozed."""

from __future__ import annotations

from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Finding
from ..open_finding import CHANGING, demand_open, save


@action
@requires(Role.OPERATOR, CHANGING, of="finding.paddock")
def reopen(actor: Actor, finding: Finding) -> None:
    """The finding returns to *needs a hand*. Raises NotNow if it has closed."""
    demand_open(finding)
    finding.acknowledged_by, finding.acknowledged_at, finding.snoozed_until = "", None, None
    save(actor, finding, "reopened")

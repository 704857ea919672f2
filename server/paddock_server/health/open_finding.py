"""An open finding that a person changes."""

from __future__ import annotations

from ..changes import announce
from ..errors import NotNow
from ..logbook.write import write
from ..people.actor import Actor
from .models import Finding

CHANGING = "Acknowledging and snoozing findings"


def demand_open(finding: Finding) -> None:
    """Raises NotNow for a finding that has closed."""
    if finding.closed_at:
        raise NotNow("This finding has closed by itself.")


def save(actor: Actor, finding: Finding, verb: str, **details: object) -> None:
    """Saves what a person changed, with a line in the logbook."""
    finding.save(update_fields=["acknowledged_by", "acknowledged_at", "note", "snoozed_until"])
    where = finding.hosts[0] if len(finding.hosts) == 1 else finding.about
    given = {name: value for name, value in details.items() if value}
    write(actor, verb, "finding", f"{finding.title}: {where}", finding.paddock, given)
    announce("finding", finding.pk, finding.paddock)

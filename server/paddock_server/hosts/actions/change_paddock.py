"""Changes what a paddock's fence says: its purpose, from where its agents may call, whether passes admit at once."""

from __future__ import annotations

from typing import Any

from paddock_agent import wire

from ...changes import announce
from ...logbook.write import write
from ...patterns import clean_patterns
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..models import LIVING, Host, Paddock

FIELDS = (
    "purpose", "networks", "admits_at_once", "grace", "watch_may_start", "services", "pipelines", "ends_processes",
    "warm_days", "lease", "chores_need_approval", "rollouts_need_approval", "follows_versions",
)  # fmt: skip


@action
@requires(Role.ADMINISTRATOR, "Changing a paddock", of="paddock.name")
def change_paddock(actor: Actor, paddock: Paddock, **wanted: Any) -> None:
    """``wanted`` has any of FIELDS; what is not named stays. Agents hear at once of services and a grace."""
    if "pipelines" in wanted:
        wanted["pipelines"] = clean_patterns(wanted["pipelines"])
    changed = {}
    for field in FIELDS:
        before = getattr(paddock, field)
        if field in wanted and wanted[field] != before:
            changed[field] = {"from": before, "to": wanted[field]}
            setattr(paddock, field, wanted[field])
    if not changed:
        return
    paddock.save(update_fields=list(changed))
    write(actor, "changed", "paddock", paddock.name, paddock.name, changed)
    announce("paddock", paddock.name, paddock.name)
    for host in Host.objects.filter(paddock=paddock, standing__in=LIVING).select_related("paddock"):
        if "services" in changed:
            connections.send(host.pk, wire.WatchServices(services=host.watched_services))
        if "grace" in changed:
            connections.set_grace(host.pk, host.grace)

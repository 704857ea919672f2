"""Tries a definition on chosen hosts, and takes in what they found."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from django.utils import timezone

from paddock_agent import wire
from paddock_core.link_state import Link

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..catalogue import signature_of_trial
from ..models import ToolEdit, Trial

MAX_HOSTS = 50


@action
@requires(Role.ADMINISTRATOR, "Trying a definition")
def try_tool(actor: Actor, edit: ToolEdit, hosts: Sequence[Host]) -> list[Trial]:
    """Asks the hosts to look for the tool by this definition, beside their surveys; nothing of it is kept there."""
    if not edit.text:
        raise Invalid("This version takes the definition out: there is nothing to try.")
    if not hosts or len(hosts) > MAX_HOSTS:
        raise Invalid(f"A definition is tried on 1 to {MAX_HOSTS} hosts.")
    if away := [host.name for host in hosts if host.link != Link.CONNECTED]:
        raise NotNow(f"{', '.join(away[:5])} cannot be asked: not connected. Choose others.")
    now = timezone.now()
    trials = [Trial.objects.create(edit=edit, host=host, asked_by=actor.name, asked_at=now) for host in hosts]
    for trial in trials:
        signature = signature_of_trial(trial.pk, edit.text)
        connections.send(trial.host_id, wire.TryProbe(trial=trial.pk, tool=edit.text, signature=signature))
    write(
        actor,
        "tried a definition of",
        "tool",
        edit.tool,
        details={"version": edit.number, "hosts": [host.name for host in hosts]},
    )
    return trials


@action
def record_trial(host: Host, report: wire.Tried) -> None:
    """What a host found; an answer to a question that was not put to it is passed over."""
    trial = Trial.objects.filter(pk=report.trial, host=host, answered_at=None).select_related("edit").first()
    if trial is None:
        return
    trial.answered_at, trial.why, trial.took = timezone.now(), report.why, max(0.0, min(report.took, 86_400.0))
    trial.found = msgspec.to_builtins(report.installations)[:100]
    trial.broken = msgspec.to_builtins(report.broken)[:100]
    trial.save()
    announce("trial", trial.edit.tool)

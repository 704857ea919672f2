"""Upgrades one host because its own administrator asks for that at its terminal."""

from __future__ import annotations

from dataclasses import replace

from ...errors import Invalid
from ...hosts.models import Host
from ...people.actor import SERVER
from ...storage import action
from ..models import RolloutHost
from .roll_on import roll_on
from .start_rollout import start_rollout


@action
def ask_upgrade(host: Host, version: str) -> RolloutHost:
    """A rollout over this host alone, which begins at once; whoever is root there can change its agent in any case.
    Raises as start_rollout does, and Invalid where the host cannot begin now."""
    actor = replace(SERVER, name=f"the administrator of {host.name}")
    rollout = start_rollout(actor, version, [host], "at the host's terminal", {"canaries": False})
    if rollout.state != "rolling":
        raise Invalid(
            f"A second person must approve upgrades in {host.paddock.name}. Start the rollout in the browser."
        )
    roll_on(rollout)
    row = rollout.hosts.get()
    if row.begun_at is None:
        raise Invalid(row.detail or "It cannot begin now.")
    return row

"""Restarts a host's agent: it finishes running jobs, then comes back with the environment of a new log-in."""

from __future__ import annotations

from paddock_agent import wire
from paddock_core.link_state import Link

from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..models import Host


@action
@requires(Role.OPERATOR, "Restarting an agent", of="host.paddock.name")
def restart(actor: Actor, host: Host) -> None:
    """Raises NotNow for a host whose agent is not connected."""
    if host.link != Link.CONNECTED:
        raise NotNow(f"The agent of {host.name} is not connected.")
    write(actor, "restarted the agent of", "host", host.name, host.paddock.name)
    connections.send(host.pk, wire.Restart())

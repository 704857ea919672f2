"""Has a host's agent start afresh: it finishes what runs, and comes back with the environment of a fresh log-in."""

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
@requires(Role.OPERATOR, "Having an agent start afresh", of="host.paddock.name")
def restart(actor: Actor, host: Host) -> None:
    """Raises NotNow for a host whose agent is not connected."""
    if host.link != Link.CONNECTED:
        raise NotNow(f"The agent of {host.name} is not connected: nobody is there to hear it.")
    write(actor, "had start afresh", "host", host.name, host.paddock.name)
    connections.send(host.pk, wire.Restart())

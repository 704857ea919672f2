"""Has a host's agent start or stop a watched service."""

from __future__ import annotations

from paddock_agent import wire
from paddock_core.link_state import Link

from ...errors import NotNow, NotThere
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action


@action
@requires(Role.OPERATOR, "Starting and stopping services", of="host.paddock.name")
def try_service(actor: Actor, host: Host, name: str, verb: str) -> None:
    """``verb`` is start or stop. Raises NotThere for a service that is not watched there, NotNow for a host that is not
    connected. What comes of it the agent tells; it is then on the service's line."""
    if name not in host.watched_services:
        watched = ", ".join(host.watched_services) or "none"
        raise NotThere(f"The service {name} is not watched on {host.name}. Watched there: {watched}.")
    if host.link != Link.CONNECTED:
        raise NotNow(f"The agent of {host.name} is not connected, so it cannot {verb} the service.")
    write(actor, f"asked to {verb}", "service", f"{name} on {host.name}", host.paddock.name)
    connections.send(host.pk, wire.TryService(name=name, verb=verb))

"""Has a host's watch start the agent's service with its next report, though it was stopped on purpose."""

from __future__ import annotations

from django.conf import settings
from django.utils import timezone

from paddock_core.link_state import Link

from ...errors import NotNow
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Health


@action
@requires(Role.OPERATOR, "Having a watch start the service", of="host.paddock.name")
def have_started(actor: Actor, host: Host) -> None:
    """Raises NotNow where the paddock does not allow it, or no watch would do it."""
    health = Health.objects.filter(host=host).first()
    if host.link == Link.CONNECTED:
        raise NotNow(f"The agent of {host.name} is connected: it runs already.")
    if not host.paddock.watch_may_start:
        raise NotNow(f"The fence of {host.paddock.name} does not let watches start services. An administrator can.")
    silent_for = (timezone.now() - health.reported_at).total_seconds() if health and health.reported_at else None
    if health is None or silent_for is None or silent_for > 2.5 * settings.WATCH_SECONDS:
        raise NotNow(f"{host.name} has no watch that could start it.")
    health.start_asked_at = timezone.now()
    health.save(update_fields=["start_asked_at"])
    write(actor, "had its watch start", "host", host.name, host.paddock.name)

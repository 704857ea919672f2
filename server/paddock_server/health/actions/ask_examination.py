"""Asks a host's watch to examine it with its next report."""

from __future__ import annotations

from django.conf import settings
from django.utils import timezone

from ...errors import NotNow
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from .. import watches
from ..models import Health


@action
@requires(Role.OPERATOR, "Asking a machine", of="host.paddock.name")
def ask_examination(actor: Actor, host: Host) -> None:
    """Raises NotNow where no watch would answer."""
    health = Health.objects.filter(host=host).first()
    heard = watches.heard_at(host.pk, health.reported_at.timestamp() if health and health.reported_at else 0.0)
    if timezone.now().timestamp() - heard > 2.5 * settings.WATCH_SECONDS:
        raise NotNow(
            f"{host.name} has no watch that could answer. On the machine itself, as root: paddock-agent doctor"
        )
    watches.ask(host.pk)
    write(actor, "asked", "host", host.name, host.paddock.name)

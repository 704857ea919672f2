"""Takes a host out for good: its key dies, its record stays, its name is free again."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from paddock_core.link_state import Seen

from ...errors import NotNow
from ...health import watches
from ...health.actions.note_link import note_link
from ...link import connections, feed
from ...logbook.write import write
from ...people.actor import Actor, agent_of
from ...people.models import Role
from ..models import Host
from .hold import is_working


@transaction.atomic
def retire(actor: Actor, host: Host, reason: str = "") -> None:
    """Raises NotNow for a host at work, or one that is not inside."""
    actor.demand(Role.ADMINISTRATOR, host.paddock.name, "Retiring a host")
    if host.standing != Host.Standing.ADMITTED:
        raise NotNow(f"{host.name} is not inside: it is {host.standing}. At the gate a host is turned away.")
    if is_working(host):
        raise NotNow(f"{host.name} is at work. Drain it, or cancel what runs there; then retire it.")
    _take_out(actor, host, "retired", reason)


@transaction.atomic
def leave(host: Host) -> None:
    """The host's own agent says that it is gone for good. What it left running is given up by the link."""
    _take_out(agent_of(host.name), host, "left with", "")


def _take_out(actor: Actor, host: Host, verb: str, reason: str) -> None:
    host.standing = Host.Standing.RETIRED
    host.key_digest = host.watch_digest = None
    watches.forget(host.pk)
    host.decided_at, host.decided_by = timezone.now(), actor.name
    host.save(update_fields=["standing", "key_digest", "watch_digest", "decided_at", "decided_by"])
    note_link(host, Seen.KEY_REVOKED)
    write(actor, verb, "host", host.name, host.paddock.name, **({"reason": reason} if reason else {}))
    feed.tell("host", host.name, host.paddock.name)
    connections.dismiss(host.pk, f"{host.name} was retired{': ' + reason if reason else ''}.")

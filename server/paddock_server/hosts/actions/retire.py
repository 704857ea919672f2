"""Takes a host out for good: its key no longer works, its record stays, its name is free again. It can be undone for a
while."""

from __future__ import annotations

from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...logbook.write import write
from ...people.actor import Actor, agent_of
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..events import keys_ended
from ..models import LIVING, UNDO_DAYS, Host
from .hold import is_working


@action
@requires(Role.ADMINISTRATOR, "Retiring a host", of="host.paddock.name")
def retire(actor: Actor, host: Host, reason: str) -> None:
    """Raises NotNow for a host at work, or one that is not inside, and Invalid without a reason."""
    if host.standing != Host.Standing.ADMITTED:
        raise NotNow(f"{host.name} is not inside: it is {host.standing}. At the gate a host is turned away.")
    if not reason.strip():
        detail = "Say why the host is retired: its record shows the reason."
        raise Invalid(detail, errors=[{"pointer": "/reason", "detail": detail}])
    if is_working(host):
        raise NotNow(f"{host.name} is at work. Drain it, or cancel what runs there; then retire it.")
    _close(actor, host, "retired", reason.strip())


@action
def leave(host: Host) -> None:
    """The host's own agent says that it is gone for good. What it left running is given up by the link."""
    host.key_digest = host.watch_digest = None  # its agent has deleted the keys
    _close(agent_of(host.name), host, "left with", "")


@action
@requires(Role.ADMINISTRATOR, "Undoing a retirement", of="host.paddock.name")
def undo_retirement(actor: Actor, host: Host) -> None:
    """Puts a retired host back as it was. Raises NotNow after the time for it, for a host whose agent has left, and
    where another host has its name now."""
    if host.standing != Host.Standing.RETIRED:
        raise NotNow(f"{host.name} is not retired: it is {host.standing}.")
    if host.undo_until is None:
        raise NotNow(f"The agent of {host.name} has deleted its key. Bring the host in again.")
    if host.undo_until < timezone.now():
        raise NotNow(f"{host.name} was retired more than {UNDO_DAYS} days ago. Bring it in again.")
    if Host.objects.filter(name__iexact=host.name, standing__in=LIVING).exists():
        raise NotNow(f"Another host is called {host.name} now. Retire that one first.")
    host.standing = Host.Standing.ADMITTED
    host.decided_at, host.decided_by, host.retired_because = timezone.now(), actor.name, ""
    host.save(update_fields=["standing", "decided_at", "decided_by", "retired_because"])
    write(actor, "undid the retirement of", "host", host.name, host.paddock.name)
    announce("host", host.name, host.paddock.name)


def _close(actor: Actor, host: Host, verb: str, reason: str) -> None:
    host.standing = Host.Standing.RETIRED
    host.decided_at, host.decided_by, host.retired_because = timezone.now(), actor.name, reason
    fields = ["standing", "key_digest", "watch_digest", "decided_at", "decided_by", "retired_because"]
    host.save(update_fields=fields)
    keys_ended.send(host)
    write(actor, verb, "host", host.name, host.paddock.name, {"reason": reason} if reason else {})
    announce("host", host.name, host.paddock.name)
    connections.dismiss(host.pk, f"{host.name} was retired{': ' + reason if reason else ''}.")

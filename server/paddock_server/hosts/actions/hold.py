"""Holds a host: it takes no new job. Drains one: what runs may finish first. Resumes one: it takes jobs again."""

from __future__ import annotations

from datetime import datetime

from django.utils import timezone

from paddock_core.lifecycle import LIVE

from ...changes import announce
from ...errors import Invalid, NotNow
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..events import hold_changed
from ..models import Host, Paddock

WHAT = "Holding, draining and resuming hosts"


@action
@requires(Role.OPERATOR, WHAT, of="host.paddock.name")
def hold(actor: Actor, host: Host, reason: str = "", *, until: datetime | None = None) -> None:
    """No new job from now on, ``until`` a time if one is planned; jobs at work stay. Raises NotNow for a host that is
    not inside."""
    _set(actor, host, Host.Holding.HELD, "held", reason, until)


@action
@requires(Role.OPERATOR, WHAT, of="host.paddock.name")
def drain(actor: Actor, host: Host, reason: str = "", *, until: datetime | None = None) -> None:
    """Finish what runs, then hold. A host without work is held at once. Raises NotNow for a host that is not inside."""
    holding = Host.Holding.DRAINING if is_working(host) else Host.Holding.HELD
    _set(actor, host, holding, "drained", reason, until)


@action
@requires(Role.OPERATOR, WHAT, of="host.paddock.name")
def resume(actor: Actor, host: Host) -> None:
    """Takes jobs again. Raises NotNow for a host that does so already."""
    if not host.holding:
        raise NotNow(f"{host.name} is not held.")
    _set(actor, host, Host.Holding.NO, "resumed", "")


@action
@requires(Role.OPERATOR, WHAT, of="paddock.name")
def hold_paddock(
    actor: Actor, paddock: Paddock, verb: str, reason: str = "", until: datetime | None = None
) -> list[Host]:
    """Holds, drains or resumes all hosts inside a paddock; those that are so already stay as they are. Returns those
    that changed."""
    changed = []
    for host in Host.objects.select_related("paddock").filter(paddock=paddock, standing=Host.Standing.ADMITTED):
        if verb == "resume" and host.holding:
            resume(actor, host)
        elif verb != "resume" and not host.holding:
            (hold if verb == "hold" else drain)(actor, host, reason, until=until)
        else:
            continue
        changed.append(host)
    done = {"hold": "held", "drain": "drained", "resume": "resumed"}[verb]
    write(actor, done, "paddock", paddock.name, paddock.name, {"hosts": [host.name for host in changed][:50]})
    return changed


@action
def hold_if_drained(host: Host) -> None:
    """Called when an attempt ends: a draining host without work becomes a held one."""
    if host.holding == Host.Holding.DRAINING and not is_working(host):
        _set(SERVER, host, Host.Holding.HELD, "held", host.hold_reason, host.hold_until)


def is_working(host: Host) -> bool:
    """Whether an attempt is offered to the host or runs there."""
    return bool(host.attempts.filter(state__in=[state.value for state in LIVE]).exists())


def _set(
    actor: Actor, host: Host, holding: Host.Holding, verb: str, reason: str, until: datetime | None = None
) -> None:
    if host.standing != Host.Standing.ADMITTED:
        raise NotNow(f"{host.name} is not inside yet: it is {host.standing}. Nothing runs on it.")
    if until is not None and until <= timezone.now():
        raise Invalid("The planned end has passed already.", errors=[{"pointer": "/until", "detail": "in the past"}])
    if holding != host.holding and not (host.holding and holding):
        host.held_by, host.held_at = (actor.name, timezone.now()) if holding else ("", None)
    host.holding, host.hold_reason, host.hold_until = holding, reason, until
    host.save(update_fields=["holding", "hold_reason", "held_by", "held_at", "hold_until"])
    hold_changed.send(host)
    details = {"reason": reason, "until": until.isoformat() if until else ""}
    write(actor, verb, "host", host.name, host.paddock.name, {key: value for key, value in details.items() if value})
    announce("host", host.name, host.paddock.name)

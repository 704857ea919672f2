"""Holds a host: it takes no new job. Drains one: what runs may finish first. Resumes one: it takes jobs again."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from paddock_core.lifecycle import LIVE

from ...errors import NotNow
from ...health.models import HoldChange
from ...link import feed
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...work import dispatcher
from ...work.models import Attempt
from ..models import Host


@transaction.atomic
def hold(actor: Actor, host: Host, reason: str = "") -> None:
    """No new job from now on; jobs at work stay. Raises NotNow for a host that is not inside."""
    _set(actor, host, Host.Holding.HELD, "held", reason)


@transaction.atomic
def drain(actor: Actor, host: Host, reason: str = "") -> None:
    """Finish what runs, then hold. A host without work is held at once. Raises NotNow for a host that is not inside."""
    _set(actor, host, Host.Holding.DRAINING if is_working(host) else Host.Holding.HELD, "drained", reason)


@transaction.atomic
def resume(actor: Actor, host: Host) -> None:
    """Takes jobs again. Raises NotNow for a host that does so already."""
    if not host.holding:
        raise NotNow(f"{host.name} is not held.")
    _set(actor, host, Host.Holding.NO, "resumed", "")
    dispatcher.wake_after_commit()


@transaction.atomic
def hold_if_drained(host: Host) -> None:
    """Called when an attempt ends: a draining host without work becomes a held one."""
    if host.holding == Host.Holding.DRAINING and not is_working(host):
        _set(SERVER, host, Host.Holding.HELD, "held", host.hold_reason)


def is_working(host: Host) -> bool:
    """Whether an attempt is offered to the host or runs there."""
    return Attempt.objects.filter(host=host, state__in=[state.value for state in LIVE]).exists()


def _set(actor: Actor, host: Host, holding: Host.Holding, verb: str, reason: str) -> None:
    actor.demand(Role.OPERATOR, host.paddock.name, "Holding, draining and resuming hosts")
    if host.standing != Host.Standing.ADMITTED:
        raise NotNow(f"{host.name} is not inside yet: it is {host.standing}. Nothing runs on it.")
    if holding != host.holding and not (host.holding and holding):
        host.held_by, host.held_at = (actor.name, timezone.now()) if holding else ("", None)
    host.holding, host.hold_reason = holding, reason
    host.save(update_fields=["holding", "hold_reason", "held_by", "held_at"])
    HoldChange.objects.create(host=host, at=timezone.now(), holding=holding)
    write(actor, verb, "host", host.name, host.paddock.name, **({"reason": reason} if reason else {}))
    feed.tell("host", host.name, host.paddock.name)

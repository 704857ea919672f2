"""Asks for a rehearsal, cancels one, and removes one."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.utils import timezone

from paddock_core.planning.more_runs import ChangeError

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import LIVING, Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..asking import changes_of
from ..models import UNFINISHED, Rehearsal, RehearsalState

MAX_WAITING = 20
MAX_KEPT = 200
MAX_SPAN = timedelta(days=400)


@action
@requires(Role.OPERATOR, "Rehearsing")
def rehearse(actor: Actor, given: Mapping[str, Any]) -> Rehearsal:
    """Queues a rehearsal; ``given`` are its fields by name. Raises Invalid for an impossible one, NotNow if too many
    wait."""
    rehearsal = Rehearsal(asked_by=actor.name, asked_at=timezone.now(), **given)
    if not rehearsal.until - rehearsal.since <= MAX_SPAN or rehearsal.since >= rehearsal.until:
        raise Invalid(f"The time begins before it ends, and is at most {MAX_SPAN.days} days long.")
    if rehearsal.target and not rehearsal.pipelines:
        raise Invalid("A target needs the pipelines that it is for.")
    if rehearsal.like and not Host.objects.filter(name=rehearsal.like, standing__in=LIVING).exists():
        raise Invalid(f"There is no host {rehearsal.like}.")
    try:
        changes_of(rehearsal)
    except ChangeError as error:
        raise Invalid(str(error)) from None
    if Rehearsal.objects.filter(state__in=UNFINISHED).count() >= MAX_WAITING:
        raise NotNow(f"{MAX_WAITING} rehearsals wait already. Cancel one, or try again later.")
    rehearsal.save()
    old = Rehearsal.objects.exclude(state__in=UNFINISHED).values_list("pk", flat=True)[MAX_KEPT:]
    Rehearsal.objects.filter(pk__in=list(old)).delete()
    write(actor, "asked for", "rehearsal", rehearsal.name, details={"changes": rehearsal.changes})
    announce("rehearsal", rehearsal.pk)
    return rehearsal


@action
@requires(Role.OPERATOR, "Cancelling a rehearsal")
def cancel_rehearsal(actor: Actor, rehearsal: Rehearsal) -> None:
    """Raises NotNow for one that is over."""
    changed = Rehearsal.objects.filter(pk=rehearsal.pk, state__in=UNFINISHED).update(
        state=RehearsalState.CANCELLED.value, ended_at=timezone.now()
    )
    if not changed:
        raise NotNow("This rehearsal is over.")
    write(actor, "cancelled", "rehearsal", rehearsal.name)
    announce("rehearsal", rehearsal.pk)


@action
@requires(Role.OPERATOR, "Removing a rehearsal")
def remove_rehearsal(actor: Actor, rehearsal: Rehearsal) -> None:
    """Raises NotNow for one that runs: it is cancelled first."""
    if rehearsal.state in UNFINISHED:
        raise NotNow("This rehearsal is not over. Cancel it first.")
    rehearsal.delete()
    write(actor, "removed", "rehearsal", rehearsal.name)
    announce("rehearsal", rehearsal.pk)

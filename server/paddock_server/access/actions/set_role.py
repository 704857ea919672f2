"""Gives a person a role, changes it or takes it back."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.administrators import demand_another_administrator
from ...people.events import roles_changed
from ...people.models import Grant, Role
from ...people.permission import requires
from ...storage import action


@action
@requires(Role.ADMINISTRATOR, "Changing a role", of="place")
def set_role(
    actor: Actor,
    user: User,
    place: str,
    role: Role | None,
    *,
    was: Role | None,
    ends_at: datetime | None = None,
) -> None:
    """``place`` is the name of a paddock, "" for everything; ``role`` None takes the role back. ``was`` is the role
    that the editor saw.

    Raises NotNow if the role has changed since, or if no administrator would be left; Invalid for an end that has
    passed. A role that a provider's group gives is not touched.
    """
    name = user.get_username()
    paddock = Paddock.objects.get(name=place) if place else None
    held = Grant.objects.filter(user=user, paddock=paddock, provider=None).first()
    now = timezone.now()
    standing = held if held and (held.ends_at is None or held.ends_at > now) else None
    present = Role(standing.role) if standing else None
    if present != was:
        where = f"in {place}" if place else "for everything"
        raise NotNow(
            f"Another person has changed this role meanwhile: {name} is {present or 'without a role'} {where} now. "
            "Look again, and repeat the change if it is still needed."
        )
    if ends_at is not None and ends_at <= now:
        detail = "The end of the role has passed already."
        raise Invalid(detail, errors=[{"pointer": "/ends_at", "detail": detail}])
    if place == "" and (role != Role.ADMINISTRATOR or ends_at is not None):
        demand_another_administrator(user, f"Changing the role of {name}")
    if role is None:
        if held:
            held.delete()
    else:
        Grant.objects.update_or_create(
            user=user, paddock=paddock, provider=None,
            defaults={"role": role, "ends_at": ends_at, "granted_by": actor.name, "granted_at": now,
                      "last_used_at": standing.last_used_at if standing and present == role else None},
        )  # fmt: skip
    details = {"from": present or "none", "to": role or "none"}
    if ends_at:
        details["until"] = ends_at.isoformat(timespec="minutes")
    write(actor, "changed", "role", name, place, details)
    transaction.on_commit(lambda: roles_changed.send(user.pk))
    announce("person", name)

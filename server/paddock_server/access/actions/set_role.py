"""Gives a person a role, changes it or takes it back."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.administrators import demand_another_administrator
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..grants import give_role, own_role, take_role


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
    present = own_role(user, paddock)
    if present != was:
        where = f"in {place}" if place else "for everything"
        raise NotNow(
            f"Another person has changed this role since you looked: {name} is now {present or 'without a role'} "
            f"{where}. "
            "Look again, and repeat the change if it is still needed."
        )
    if ends_at is not None and ends_at <= timezone.now():
        detail = "The end of the role has passed already."
        raise Invalid(detail, errors=[{"pointer": "/ends_at", "detail": detail}])
    if place == "" and (role != Role.ADMINISTRATOR or ends_at is not None):
        demand_another_administrator(user, f"Changing the role of {name}")
    if role is None:
        take_role(user, paddock)
    else:
        give_role(user, paddock, role, ends_at, actor.name)
    details = {"from": present or "none", "to": role or "none"}
    if ends_at:
        details["until"] = ends_at.isoformat(timespec="minutes")
    write(actor, "changed", "role", name, place, details)
    announce("person", name)

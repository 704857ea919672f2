"""Invites a person, who sets a password by a one-time link."""

from __future__ import annotations

from django.contrib.auth.models import User

from ...hosts.models import Paddock
from ...people.accounts import new_user
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..one_time_links import INVITATION_HOURS, new_link
from .add_user import give_first_role


@action
@requires(Role.ADMINISTRATOR, "Inviting a person")
def invite(
    actor: Actor, name: str, role: Role, paddock: Paddock | None = None, hours: int = INVITATION_HOURS
) -> tuple[User, str]:
    """The person, who cannot log in yet, and the secret of the one-time link. Raises Invalid and NotNow for a name that
    will not do."""
    user = new_user(name, added_by=actor.name)
    give_first_role(actor, user, role, paddock)
    return user, new_link(actor, user, "invitation", hours)

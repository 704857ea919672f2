"""Adds a person with a password, and a role for everything or for one paddock."""

from __future__ import annotations

from django.contrib.auth.models import User

from ...changes import announce
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.accounts import new_user
from ...people.actor import Actor
from ...people.models import Grant, Role
from ...people.passwords import set_password
from ...people.permission import requires
from ...storage import action


@action
@requires(Role.ADMINISTRATOR, "Adding a person")
def add_user(actor: Actor, name: str, password: str, role: Role, paddock: Paddock | None = None) -> User:
    """Raises NotNow for a name that is taken and Invalid for a password that is too weak."""
    user = new_user(name, added_by=actor.name)
    set_password(user, password)
    give_first_role(actor, user, role, paddock)
    return user


def give_first_role(actor: Actor, user: User, role: Role, paddock: Paddock | None) -> None:
    """Within an action: the role with which a person is added."""
    Grant.objects.create(user=user, role=role, paddock=paddock, granted_by=actor.name)
    write(actor, "added", "person", user.get_username(), paddock.name if paddock else "", {"role": role})
    announce("person", user.get_username())

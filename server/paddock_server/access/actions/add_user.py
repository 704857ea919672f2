"""Adds a person, with a role for everything or for one paddock."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Grant, Role
from ...people.permission import requires
from ...storage import action


@action
@requires(Role.ADMINISTRATOR, "Adding a person")
def add_user(actor: Actor, name: str, password: str, role: Role, paddock: Paddock | None = None) -> User:
    """Raises NotNow for a name that is taken and Invalid for a password that is too weak."""
    if User.objects.filter(username=name).exists():
        raise NotNow(f"There is a person called {name} already.")
    user = User(username=name)
    try:
        validate_password(password, user)
        user.full_clean(exclude=["password"])
    except ValidationError as error:
        raise Invalid(" ".join(error.messages)) from None
    user.set_password(password)
    user.save()
    Grant.objects.create(user=user, role=role, paddock=paddock)
    write(actor, "added", "person", name, paddock.name if paddock else "", {"role": role})
    return user

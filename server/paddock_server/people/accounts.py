"""Making the user and the account behind a person or a service account."""

from __future__ import annotations

from django.contrib.auth.models import User

from paddock_core.access.names import name_trouble, similar_name, skeleton

from ..errors import Invalid, NotNow
from .models import Account


def new_user(name: str, *, kind: str = "person", added_by: str, **more: object) -> User:
    """Within an action: a user without a password, with its account. Raises Invalid for a name that cannot be one, and
    NotNow for one that is taken or looks like another."""
    if trouble := name_trouble(name):
        raise Invalid(trouble, errors=[{"pointer": "/name", "detail": trouble}])
    demand_distinct_name(name)
    user = User(username=name)
    user.set_unusable_password()
    user.save(force_insert=True)
    Account.objects.create(user=user, kind=kind, skeleton=skeleton(name)[:200], added_by=added_by, **more)
    return user


def demand_distinct_name(name: str) -> None:
    """Raises NotNow for a name that is taken, or that people could take for another's."""
    if User.objects.filter(username=name).exists():
        raise NotNow(f"There is a person called {name} already.")
    others = User.objects.filter(account__skeleton=skeleton(name)[:200]).values_list("username", flat=True)
    if other := similar_name(name, others):
        raise NotNow(f"{name} looks like {other}, who is there already. Choose a name that looks different.")

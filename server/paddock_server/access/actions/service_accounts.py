"""Accounts of programs: they have tokens and roles, and no password."""

from __future__ import annotations

from django.contrib.auth.models import User

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.accounts import new_user
from ...people.actor import Actor
from ...people.models import Account, Grant, Role, account_of
from ...people.permission import requires
from ...storage import action


@action
@requires(Role.ADMINISTRATOR, "Adding a service account")
def add_service_account(
    actor: Actor, name: str, role: Role, paddock: Paddock | None, *, owner: str = "", team: str = "", purpose: str = ""
) -> User:
    """Owned by a person or by a team. Raises Invalid without an owner, or for one who is not there."""
    owner_user = _owner(owner, team)
    user = new_user(name, kind="service", added_by=actor.name, owner=owner_user, owner_team=team, purpose=purpose)
    Grant.objects.create(user=user, role=role, paddock=paddock, granted_by=actor.name)
    details = {"role": role, "owner": owner or team}
    write(actor, "added", "service account", name, paddock.name if paddock else "", details)
    announce("person", name)
    return user


@action
@requires(Role.ADMINISTRATOR, "Changing a service account")
def change_owner(actor: Actor, user: User, *, owner: str = "", team: str = "", purpose: str = "") -> None:
    """Raises NotNow for a person's account, Invalid without an owner."""
    if account_of(user).kind != "service":
        raise NotNow(f"{user.get_username()} is a person.")
    owner_user = _owner(owner, team)
    Account.objects.filter(user=user).update(owner=owner_user, owner_team=team, purpose=purpose)
    write(actor, "changed", "service account", user.get_username(), details={"owner": owner or team})
    announce("person", user.get_username())


def _owner(owner: str, team: str) -> User | None:
    if bool(owner) == bool(team):
        detail = "Name one owner: a person, or a team."
        raise Invalid(detail, errors=[{"pointer": "/owner", "detail": detail}])
    if not owner:
        return None
    found = User.objects.filter(username=owner, is_active=True).exclude(account__kind="service").first()
    if found is None:
        detail = f"No person called {owner} is there."
        raise Invalid(detail, errors=[{"pointer": "/owner", "detail": detail}])
    return found

"""Reads of people as screens show them: what each may do where, and when it was last used."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth.models import User
from django.db.models import Count, Prefetch, Q, QuerySet

from ..errors import NotAllowed, NotThere
from .actor import Actor
from .models import Grant, Invitation, Role, account_of, not_ended


@dataclass(frozen=True)
class HeldRole:
    """A role of a person in a paddock ("": everywhere). ``by_provider`` is "" for a role that was given here, or names
    the sign-on provider whose groups give it."""

    paddock: str
    role: str
    by_provider: str
    ends_at: datetime | None
    granted_by: str
    granted_at: datetime | None
    last_used_at: datetime | None


@dataclass(frozen=True)
class PersonShown:
    """One line of the list of people. ``state`` is active, invited or disabled."""

    name: str
    kind: str
    state: str
    owner: str
    purpose: str
    roles: list[HeldRole]
    added_at: datetime
    added_by: str
    last_seen_at: datetime | None
    invitation_ends_at: datetime | None
    disabled_by: str
    tokens: int
    sessions: int
    passkeys: int
    sign_on: list[str]
    may_manage: bool


def visible_people(actor: Actor) -> list[PersonShown]:
    """All accounts, for an administrator of everything. An administrator of some paddocks sees those who may do
    something there, with these roles alone. Raises NotAllowed for others."""
    paddocks = actor.where(Role.ADMINISTRATOR)
    if paddocks is not None and not paddocks:
        raise NotAllowed(
            "The list of people needs the role administrator. Ask an administrator for it.",
            needs={"role": Role.ADMINISTRATOR.value, "paddock": None},
        )
    return [shown for user in _users() if (shown := _shown(user, paddocks)) is not None]


def person_called(actor: Actor, name: str) -> User:
    """The account of this name, if the actor may see it. Raises NotThere."""
    paddocks = actor.where(Role.ADMINISTRATOR)
    user = _users().filter(username=name).first()
    if user is None or _shown(user, paddocks) is None:
        raise NotThere(f"No person called {name} exists that you may see.")
    return user


def shown_person(actor: Actor, user: User) -> PersonShown:
    """One line. Raises NotThere."""
    shown = _shown(_users().get(pk=user.pk), actor.where(Role.ADMINISTRATOR))
    if shown is None:
        raise NotThere("No such person exists that you may see.")
    return shown


def _users() -> QuerySet[User]:
    grants = Grant.objects.select_related("paddock", "provider").filter(not_ended())
    open_ones = Invitation.objects.filter(used_at=None).order_by("-ends_at")
    living = Q(tokens__revoked_at=None) & not_ended("tokens__")
    return (
        User.objects.select_related("account__owner")
        .prefetch_related(
            Prefetch("grants", grants.order_by("paddock__name")),
            Prefetch("invitations", open_ones),
            "identities__provider",
            "passkeys",
        )
        .annotate(
            living_tokens=Count("tokens", filter=living, distinct=True),
            open_sessions=Count("browser_sessions", distinct=True),
        )
        .order_by("username")
    )


def _shown(user: User, paddocks: Collection[str] | None) -> PersonShown | None:
    roles = list(_held(user.grants.all(), paddocks))
    if paddocks is not None and not roles:
        return None
    account = account_of(user)
    invitation = next(iter(user.invitations.all()), None)
    providers = [one.provider.name for one in user.identities.all()]
    state = "active"
    if not user.is_active:
        state = "disabled"
    elif account.kind == "person" and not user.has_usable_password() and not providers:
        state = "invited"
    sees_all = paddocks is None
    return PersonShown(
        name=user.get_username(),
        kind=account.kind,
        state=state,
        owner=(account.owner.get_username() if account.owner else account.owner_team),
        purpose=account.purpose,
        roles=roles,
        added_at=user.date_joined,
        added_by=account.added_by,
        last_seen_at=account.last_seen_at,
        invitation_ends_at=invitation.ends_at if invitation and sees_all else None,
        disabled_by=account.disabled_by,
        tokens=getattr(user, "living_tokens", 0) if sees_all else 0,
        sessions=getattr(user, "open_sessions", 0) if sees_all else 0,
        passkeys=len(user.passkeys.all()) if sees_all else 0,
        sign_on=providers,
        may_manage=sees_all,
    )


def _held(grants: Iterable[Grant], paddocks: Collection[str] | None) -> Iterable[HeldRole]:
    for grant in grants:
        name = grant.paddock.name if grant.paddock else ""
        if paddocks is None or not name or name in paddocks:
            yield HeldRole(
                name, grant.role, grant.provider.name if grant.provider else "", grant.ends_at, grant.granted_by,
                grant.granted_at, grant.last_used_at,
            )  # fmt: skip


def own_roles(user: User) -> list[HeldRole]:
    """The roles of a person that have not ended."""
    standing = user.grants.select_related("paddock", "provider").filter(not_ended())
    return list(_held(standing.order_by("paddock__name"), None))

"""Who acts, and what they may do. Actions ask here; views do not."""

from __future__ import annotations

import threading
from collections.abc import Collection
from dataclasses import dataclass

from django.contrib.auth.models import AnonymousUser, User

from paddock_core.access.roles import EVERYWHERE, RANKS, Scope, merged, token_roles

from ..errors import NotAllowed
from .models import Role, Token, account_of, not_ended
from .role_usage import note_usage


def rank_of(role: Role) -> int:
    """Higher for a role that can do more."""
    return RANKS[role.value]


_checks = threading.local()


def permission_checks() -> int:
    """How often this thread has checked a permission."""
    return getattr(_checks, "count", 0)


def _count_check() -> None:
    _checks.count = permission_checks() + 1


@dataclass(frozen=True)
class Actor:
    """A person, an agent, or the server itself. ``everywhere`` is a role for all paddocks; ``paddocks`` holds roles for
    single ones, by name. ``token`` is the name of the token that a program uses, and ``on_behalf_of`` the owner of the
    service account whose token it is. ``for_jobs``: the same actor as far as jobs are concerned, where a token's scope
    makes a difference."""

    name: str
    everywhere: Role | None
    paddocks: tuple[tuple[str, Role], ...] = ()
    token: str = ""
    on_behalf_of: str = ""
    for_jobs: Actor | None = None

    def may(self, role: Role, paddock: str | None = None) -> bool:
        """Whether the actor has at least ``role`` in ``paddock``; without one: for everything."""
        return self._allowing(role, paddock) is not None

    def demand(self, role: Role, paddock: str | None, what: str) -> None:
        """Raises NotAllowed unless the actor may; ``what`` completes "… needs the role operator"."""
        allowing = self._allowing(role, paddock)
        if allowing is None:
            where = f" in {paddock}" if paddock else " for everything"
            hint = f"The token {self.token} does not have it." if self.token else "Ask an administrator for it."
            raise NotAllowed(
                f"{what} needs the role {role}{where}. {hint}",
                needs={"role": role.value, "paddock": paddock or None},
            )
        note_usage(self.name, allowing)

    def where(self, role: Role) -> Collection[str] | None:
        """The paddocks in which the actor has at least ``role``; None for all of them."""
        _count_check()
        if self.everywhere and rank_of(self.everywhere) >= rank_of(role):
            return None
        return [name for name, held in self.paddocks if rank_of(held) >= rank_of(role)]

    def may_anywhere(self, role: Role) -> bool:
        """Whether the actor has at least ``role`` in some paddock."""
        return self.where(role) is None or bool(self.where(role))

    def _allowing(self, role: Role, paddock: str | None) -> str | None:
        """The paddock whose grant suffices, EVERYWHERE for that of all paddocks; None if none does."""
        _count_check()
        if paddock and any(name == paddock and rank_of(held) >= rank_of(role) for name, held in self.paddocks):
            return paddock
        return EVERYWHERE if self.everywhere and rank_of(self.everywhere) >= rank_of(role) else None


SERVER = Actor("the server", Role.ADMINISTRATOR)
"""Acts when no person does: a lease that ends, a job that is placed."""
COMMAND_LINE = Actor("the command line", Role.ADMINISTRATOR)
"""Whoever can run ``paddock`` on the server's data folder owns it already."""


def agent_of(host: str) -> Actor:
    """The agent of one host. It has no role: what it may do is what the link calls."""
    return Actor(f"the agent of {host}", None)


def person(user: User | AnonymousUser) -> Actor:
    """A person with the roles that they have now; a program with those that its token has of them."""
    if not user.is_authenticated:
        return Actor("no one", None)
    roles = current_roles(user)
    token: Token | None = getattr(user, "acting_token", None)
    if token is None:
        return _with_roles(user.get_username(), roles)
    left = token_roles(roles, Scope(token.scope), token.paddocks)
    owner = _owner_of(user)
    for_jobs = _with_roles(user.get_username(), left.job_roles, token.name, owner)
    return _with_roles(user.get_username(), left.roles, token.name, owner, for_jobs)


def current_roles(user: User) -> dict[str, str]:
    """The highest role for each paddock among the grants that have not ended; EVERYWHERE for all paddocks."""
    standing = user.grants.filter(not_ended()).order_by()
    return merged((name or EVERYWHERE, role) for role, name in standing.values_list("role", "paddock__name"))


def _with_roles(
    name: str, roles: dict[str, str], token: str = "", owner: str = "", for_jobs: Actor | None = None
) -> Actor:
    everywhere = Role(roles[EVERYWHERE]) if EVERYWHERE in roles else None
    paddocks = tuple((paddock, Role(role)) for paddock, role in roles.items() if paddock != EVERYWHERE)
    return Actor(name, everywhere, paddocks, token, owner, for_jobs)


def _owner_of(user: User) -> str:
    account = account_of(user)
    if account.kind != "service":
        return ""
    return account.owner.get_username() if account.owner else account.owner_team


def signed_in_user(user: User | AnonymousUser) -> User:
    """The person who is logged in. Raises NotAllowed."""
    if isinstance(user, AnonymousUser):
        raise NotAllowed("Log in first.")
    return user

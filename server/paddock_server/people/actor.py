"""Who acts, and what they may do. Actions ask here; views do not."""

from __future__ import annotations

import threading
from collections.abc import Collection
from dataclasses import dataclass

from django.contrib.auth.models import AnonymousUser, User

from ..errors import NotAllowed
from .models import Role

_RANK = {Role.VIEWER: 0, Role.OPERATOR: 1, Role.ADMINISTRATOR: 2}


def rank_of(role: Role) -> int:
    """Higher for a role that can do more."""
    return _RANK[role]


_checks = threading.local()


def permission_checks() -> int:
    """How often this thread has checked a permission."""
    return getattr(_checks, "count", 0)


def _count_check() -> None:
    _checks.count = permission_checks() + 1


@dataclass(frozen=True)
class Actor:
    """A person, an agent, or the server itself. ``everywhere`` is a role for all paddocks; ``paddocks`` holds roles for
    single ones, by name."""

    name: str
    everywhere: Role | None
    paddocks: tuple[tuple[str, Role], ...] = ()

    def may(self, role: Role, paddock: str | None = None) -> bool:
        """Whether the actor has at least ``role`` in ``paddock``; without one: for everything."""
        _count_check()
        held = [self.everywhere] if self.everywhere else []
        held += [one for name, one in self.paddocks if name == paddock]
        return any(_RANK[one] >= _RANK[role] for one in held)

    def demand(self, role: Role, paddock: str | None, what: str) -> None:
        """Raises NotAllowed unless the actor may; ``what`` completes "… needs the role operator"."""
        if not self.may(role, paddock):
            where = f" in {paddock}" if paddock else " for everything"
            raise NotAllowed(f"{what} needs the role {role}{where}. Ask an administrator for it.")

    def where(self, role: Role) -> Collection[str] | None:
        """The paddocks in which the actor has at least ``role``; None for all of them."""
        _count_check()
        if self.everywhere and _RANK[self.everywhere] >= _RANK[role]:
            return None
        return [name for name, one in self.paddocks if _RANK[one] >= _RANK[role]]

    def may_anywhere(self, role: Role) -> bool:
        """Whether the actor has at least ``role`` in some paddock."""
        return self.where(role) is None or bool(self.where(role))


SERVER = Actor("the server", Role.ADMINISTRATOR)
"""Acts when no person does: a lease that ends, a job that is placed."""
COMMAND_LINE = Actor("the command line", Role.ADMINISTRATOR)
"""Whoever can run ``paddock`` on the server's data folder owns it already."""


def agent_of(host: str) -> Actor:
    """The agent of one host. It has no role: what it may do is what the link calls."""
    return Actor(f"the agent of {host}", None)


def person(user: User | AnonymousUser) -> Actor:
    """A person with the roles that they were granted."""
    if not user.is_authenticated:
        return Actor("no one", None)
    everywhere: Role | None = None
    paddocks = []
    for role, paddock in user.grants.order_by().values_list("role", "paddock__name"):
        if paddock is None:
            everywhere = Role(role)
        else:
            paddocks.append((paddock, Role(role)))
    return Actor(user.get_username(), everywhere, tuple(paddocks))


def signed_in_user(user: User | AnonymousUser) -> User:
    """The person who is logged in. Raises NotAllowed."""
    if isinstance(user, AnonymousUser):
        raise NotAllowed("Log in first.")
    return user

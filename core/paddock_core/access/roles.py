"""Roles, and what is left of them for a token."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

RANKS = {"viewer": 0, "operator": 1, "administrator": 2}
"""Each role can do what those before it can."""
EVERYWHERE = ""
"""Stands for all paddocks where the name of one is expected."""

Roles = Mapping[str, str]
"""A role by paddock; by EVERYWHERE for all of them."""


class Scope(StrEnum):
    """How much of its person's roles a token has."""

    READ = "read"
    JOBS = "jobs"
    OPERATE = "operate"
    ALL = "all"


_HIGHEST = {Scope.READ: "viewer", Scope.JOBS: "viewer", Scope.OPERATE: "operator", Scope.ALL: "administrator"}


@dataclass(frozen=True)
class TokenRoles:
    """``roles`` for everything, and ``job_roles`` for submitting, rerunning, reprioritizing and cancelling jobs."""

    roles: dict[str, str]
    job_roles: dict[str, str]


def highest(roles: Iterable[str]) -> str | None:
    """The one of ``roles`` that can do most; None of none."""
    return max(roles, key=RANKS.__getitem__, default=None)


def lower(first: str, second: str) -> str:
    """The one that can do less."""
    return min(first, second, key=RANKS.__getitem__)


def merged(grants: Iterable[tuple[str, str]]) -> dict[str, str]:
    """The highest role for each paddock, of pairs of paddock and role."""
    found: dict[str, str] = {}
    for paddock, role in grants:
        held = found.get(paddock)
        found[paddock] = role if held is None or RANKS[role] > RANKS[held] else held
    return found


def token_roles(roles: Roles, scope: Scope, paddocks: Collection[str] = ()) -> TokenRoles:
    """The roles of a token with ``scope`` whose person has ``roles``. ``paddocks`` limits it to these; none: no limit.

    A token never has more than its person has at that moment.
    """
    within = _within(roles, paddocks) if paddocks else dict(roles)
    capped = {paddock: lower(role, _HIGHEST[scope]) for paddock, role in within.items()}
    if scope is not Scope.JOBS:
        return TokenRoles(capped, capped)
    return TokenRoles(capped, {paddock: lower(role, "operator") for paddock, role in within.items()})


def _within(roles: Roles, paddocks: Collection[str]) -> dict[str, str]:
    held = {
        paddock: highest(roles[name] for name in (paddock, EVERYWHERE) if name in roles)
        for paddock in paddocks
        if paddock != EVERYWHERE
    }
    return {paddock: role for paddock, role in held.items() if role}

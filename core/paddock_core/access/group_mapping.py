"""Roles from the groups that a sign-on provider names."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from .roles import EVERYWHERE, Roles, merged


@dataclass(frozen=True)
class MappedRole:
    """Members of ``group`` have ``role`` in ``paddock``; EVERYWHERE for all paddocks."""

    group: str
    role: str
    paddock: str = EVERYWHERE


@dataclass(frozen=True)
class Member:
    """A person as of the last sign-on. ``granted`` are roles that were given here, not by a group."""

    name: str
    groups: Collection[str]
    granted: Roles
    is_disabled: bool = False


@dataclass(frozen=True)
class MappingChange:
    """What another mapping would change for one person. No roles after: the person is locked out."""

    name: str
    before: dict[str, str]
    after: dict[str, str]


@dataclass(frozen=True)
class Preview:
    """Who is let in, who is locked out, whose roles change, and whether an administrator of everything is left."""

    let_in: tuple[MappingChange, ...]
    locked_out: tuple[MappingChange, ...]
    changed: tuple[MappingChange, ...]
    administrators_left: int


def mapped_roles(groups: Collection[str], mapping: Iterable[MappedRole]) -> dict[str, str]:
    """The roles of a person in ``groups``. Groups are compared exactly, as providers do."""
    return merged((one.paddock, one.role) for one in mapping if one.group in groups)


def preview(
    members: Iterable[Member], before: Collection[MappedRole], after: Collection[MappedRole], locals_left: int = 0
) -> Preview:
    """What changing the mapping from ``before`` to ``after`` does to ``members``, by the groups of their last sign-on.

    ``locals_left`` is the number of enabled administrators of everything who are no members.
    """
    let_in: list[MappingChange] = []
    locked_out: list[MappingChange] = []
    changed: list[MappingChange] = []
    left = locals_left
    for member in sorted(members, key=lambda one: one.name):
        if member.is_disabled:
            continue
        old, new = (_all_roles(member, mapping) for mapping in (before, after))
        left += new.get(EVERYWHERE) == "administrator"
        if old == new:
            continue
        change = MappingChange(member.name, old, new)
        (let_in if not old else locked_out if not new else changed).append(change)
    return Preview(tuple(let_in), tuple(locked_out), tuple(changed), left)


def _all_roles(member: Member, mapping: Iterable[MappedRole]) -> dict[str, str]:
    by_group: Mapping[str, str] = mapped_roles(member.groups, mapping)
    return merged([*member.granted.items(), *by_group.items()])

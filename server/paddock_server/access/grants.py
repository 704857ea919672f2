"""Giving roles: at most one lasting and one temporary role in a place, apart from those that groups give."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet

from ..hosts.models import Paddock
from ..people.actor import rank_of
from ..people.events import roles_changed
from ..people.models import Grant, Role, not_ended


def own_grants(user: User, paddock: Paddock | None) -> QuerySet[Grant]:
    """Those in one place that were given here and have not ended; for everything where ``paddock`` is None."""
    return Grant.objects.filter(not_ended(), user=user, paddock=paddock, provider=None)


def own_role(user: User, paddock: Paddock | None) -> Role | None:
    """The highest of them."""
    return max((Role(held.role) for held in own_grants(user, paddock)), key=rank_of, default=None)


def give_role(user: User, paddock: Paddock | None, role: Role, ends_at: datetime | None, by: str) -> None:
    """Within an action. A lasting role takes the place of all others; a temporary one leaves lower lasting roles, which
    count again when it has ended."""
    former = Grant.objects.filter(user=user, paddock=paddock, provider=None)
    same = former.filter(role=role).first()
    kept = [held.pk for held in former if ends_at and held.ends_at is None and rank_of(Role(held.role)) < rank_of(role)]
    former.exclude(pk__in=kept).delete()
    Grant.objects.create(
        user=user, paddock=paddock, role=role, ends_at=ends_at, granted_by=by,
        last_used_at=same.last_used_at if same else None,
    )  # fmt: skip
    transaction.on_commit(lambda: roles_changed.send(user.pk))


def take_role(user: User, paddock: Paddock | None) -> None:
    """Within an action: ends all of them in one place."""
    Grant.objects.filter(user=user, paddock=paddock, provider=None).delete()
    transaction.on_commit(lambda: roles_changed.send(user.pk))

"""Administrators who can always log in: one has to stay."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import QuerySet

from ..errors import NotNow
from .models import Role


def lasting_administrators() -> QuerySet[User]:
    """Enabled people with a lasting role of administrator for everything, given here by hand: no provider and no date
    can take it from them. Some may not have used their one-time link yet."""
    found = User.objects.filter(
        is_active=True,
        grants__role=Role.ADMINISTRATOR,
        grants__paddock=None,
        grants__provider=None,
        grants__ends_at=None,
    )
    return found.exclude(account__kind="service").distinct()


def local_administrators() -> QuerySet[User]:
    """Those of them who have a password."""
    return lasting_administrators().exclude(password__startswith="!").exclude(password="")


def demand_another_administrator(user: User, what: str) -> None:
    """Raises NotNow if ``user`` is the last one. ``what`` completes "… would leave no administrator"."""
    remaining = local_administrators()
    if remaining.filter(pk=user.pk).exists() and not remaining.exclude(pk=user.pk).exists():
        raise NotNow(
            f"{what} would leave no administrator who can log in with a password. Make another person administrator "
            "for everything first."
        )

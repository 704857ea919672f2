"""A person changes their own settings."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User

from ...changes import announce
from ...logbook.write import write
from ...storage import action
from ..actor import Actor
from ..models import Account
from ..permission import open_to_everyone


@action
@open_to_everyone("everyone changes their own settings")
def change_own(actor: Actor, user: User, wanted: Mapping[str, Any]) -> None:
    """``wanted`` has some of email, time_zone and clock_hours."""
    if "email" in wanted:
        user.email = wanted["email"]
        user.save(update_fields=["email"])
    settings = {name: wanted[name] for name in ("time_zone", "clock_hours") if name in wanted}
    if settings:
        Account.objects.update_or_create(user=user, defaults=settings)
    write(actor, "changed", "own settings", actor.name, details=dict(wanted))
    announce("person", actor.name)

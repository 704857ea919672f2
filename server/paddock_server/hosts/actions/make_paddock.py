"""Makes a paddock."""

from __future__ import annotations

from typing import Any

from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...patterns import clean_patterns
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Paddock
from .change_paddock import FIELDS


@action
@requires(Role.ADMINISTRATOR, "Making a paddock")
def make_paddock(actor: Actor, name: str, **wanted: Any) -> Paddock:
    """``wanted`` has any of what ``change_paddock`` can change. Raises NotNow for a name that is taken, Invalid for a
    fence with a pattern that is none."""
    if Paddock.objects.filter(name__iexact=name).exists():
        raise NotNow(f"There is a paddock called {name} already.")
    paddock = Paddock(name=name)
    for field in FIELDS:
        if field in wanted:
            setattr(paddock, field, clean_patterns(wanted[field]) if field == "pipelines" else wanted[field])
    paddock.save()
    write(actor, "made", "paddock", name, name)
    announce("paddock", name, name)
    return paddock

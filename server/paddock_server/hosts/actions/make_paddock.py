"""Makes a paddock."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from ...errors import NotNow
from ...link import feed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...work.fence import clean_patterns
from ..models import Paddock


@transaction.atomic
def make_paddock(
    actor: Actor,
    name: str,
    purpose: str = "",
    admits_at_once: bool = False,
    networks: Sequence[str] = (),
    pipelines: Sequence[str] = ("*",),
) -> Paddock:
    """Raises NotNow for a name that is taken."""
    actor.demand(Role.ADMINISTRATOR, None, "Making a paddock")
    if Paddock.objects.filter(name__iexact=name).exists():
        raise NotNow(f"There is a paddock called {name} already.")
    paddock = Paddock.objects.create(
        name=name,
        purpose=purpose,
        admits_at_once=admits_at_once,
        networks=list(networks),
        pipelines=clean_patterns(pipelines),
    )
    write(actor, "made", "paddock", name, name)
    feed.tell("paddock", name, name)
    return paddock

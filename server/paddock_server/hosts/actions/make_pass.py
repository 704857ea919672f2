"""Makes an entry pass. The secret is returned this once; only its hash is kept."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from ... import secret
from ...changes import announce
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import EntryPass, Paddock


@action
@requires(Role.ADMINISTRATOR, "Making an entry pass", of="paddock.name")
def make_pass(
    actor: Actor,
    paddock: Paddock,
    name: str,
    hours: int = 24,
    uses: int = 1,
    labels: tuple[str, ...] = (),
    slots: int = 0,
) -> tuple[EntryPass, str]:
    """The pass and its secret. ``slots`` 0 leaves the number to each host's cores and memory."""
    shown_once = secret.make("pass")
    made = EntryPass.objects.create(
        name=name,
        paddock=paddock,
        digest=secret.digest(shown_once),
        labels=list(labels),
        slots=slots,
        uses=uses,
        ends_at=timezone.now() + timedelta(hours=hours),
        made_by=actor.name,
    )
    write(actor, "made", "pass", name, paddock.name, {"uses": uses, "hours": hours, "labels": list(labels)})
    announce("pass", made.pk, paddock.name)
    return made, shown_once

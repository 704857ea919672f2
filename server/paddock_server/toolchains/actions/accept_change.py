"""A person says that changes were intended."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from ...changes import announce
from ...errors import NotThere
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import SurveyChange


@action
@requires(Role.OPERATOR, "Accepting a change", of="host.paddock.name")
def accept_changes(actor: Actor, host: Host, numbers: Sequence[int], note: str) -> list[SurveyChange]:
    """Marks the changes of one host, with a note; those that were accepted before keep who did so. Raises NotThere."""
    found = list(SurveyChange.objects.filter(host=host, pk__in=numbers))
    if len(found) != len(set(numbers)):
        raise NotThere(f"{host.name} has not all of these changes. Load the page again.")
    fresh = [one for one in found if one.accepted_at is None]
    for one in fresh:
        one.accepted_by, one.accepted_at, one.note = actor.name, timezone.now(), note
    SurveyChange.objects.bulk_update(fresh, ["accepted_by", "accepted_at", "note"])
    if fresh:
        things = sorted({f"{one.kind} {one.name} {one.what}" for one in fresh})[:50]
        write(actor, "accepted changes of", "host", host.name, host.paddock.name, {"changes": things, "note": note})
        announce("host", host.name, host.paddock.name)
    return found

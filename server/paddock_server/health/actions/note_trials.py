"""Notes what a host cannot do, as its agent has tried: until that changes it gets no jobs."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from django.utils import timezone

from paddock_agent import wire

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ...work import dispatcher
from .. import reevaluation


@action
def note_trials(host: Host, failed: Sequence[wire.FailedPart]) -> None:
    """Records the parts that failed; the dispatcher and the findings loop follow."""
    cannot = [msgspec.to_builtins(one) for one in failed]
    if cannot == host.cannot:
        return
    was_able = not host.cannot
    host.cannot = cannot
    if not cannot:
        host.cannot_since = None
    elif was_able:
        host.cannot_since = timezone.now()
    host.save(update_fields=["cannot", "cannot_since"])
    if was_able != (not cannot):
        verb = "found able to work" if was_able is False else "found unable to work"
        write(SERVER, verb, "host", host.name, host.paddock.name, {"failed": host.unable})
    announce("host", host.name, host.paddock.name)
    reevaluation.mark_dirty(host.name)
    dispatcher.wake_after_commit()

"""Learns from an agent that the database was restored from a backup."""

from __future__ import annotations

from paddock_agent import wire

from ...storage import action
from ...time_line.actions.begin import begin_time_line
from ...time_line.identity import current_time_line, given_out
from ..models import Attempt


@action
def note_restore(hello: wire.Hello) -> bool:
    """Begins a new time line where the agent has an attempt that the present one gave out and that the database does
    not know. True if it did."""
    line = current_time_line()
    if line is None or hello.time_line != line.identity:
        return False
    ours = [found for name in hello.attempts if (found := given_out(line, name))]
    known = set(Attempt.objects.filter(identity__in=[one for _, one in ours]).values_list("identity", flat=True))
    missing = [job for job, identity in ours if identity not in known]
    if not missing:
        return False
    begin_time_line(f"A host has an attempt of job {max(missing)} that the database does not know.", max(missing))
    return True

"""Withdraws an unanswered offer: the job waits again."""

from __future__ import annotations

from paddock_agent import wire
from paddock_core.lifecycle import AttemptState

from ...process import connections
from ...storage import action
from ..models import Attempt
from .record_report import lose_lease


@action
def expire_offer(attempt_id: int, seconds: float) -> None:
    """Does nothing if the offer has been answered."""
    attempt = Attempt.objects.select_related("job", "host__paddock").get(pk=attempt_id)
    if attempt.state != AttemptState.OFFERED.value:
        return
    lose_lease(attempt, f"{attempt.host.name} did not answer the offer within {seconds:g} s.")
    connections.send(attempt.host_id, wire.Abandon(attempt=attempt.wire_name))

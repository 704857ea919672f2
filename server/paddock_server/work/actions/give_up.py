"""Gives up what runs on a host that is not there, before its lease ends: a person knows that it will not come back."""

from __future__ import annotations

from paddock_core.lifecycle import LIVE

from ...errors import NotNow
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..models import Attempt
from .record_report import lose_lease


@action
@requires(Role.OPERATOR, "Giving up an attempt", of="attempt.host.paddock.name")
def give_up(actor: Actor, attempt: Attempt) -> None:
    """The attempt is lost; its job waits again if it may be tried again. Raises NotNow for one that is over, or whose
    host is connected: that one can be cancelled."""
    if attempt.state not in [state.value for state in LIVE]:
        raise NotNow(f"Attempt {attempt.name} is over: it is {attempt.state}.")
    if connections.is_connected(attempt.host_id):
        raise NotNow(f"{attempt.host.name} is connected: cancel the job instead.")
    lose_lease(attempt, f"{actor.name} gave it up, since {attempt.host.name} was not there.")

"""Two machines call with one host's key: it is held until a person says which of them is right."""

from __future__ import annotations

from ...hosts.actions.hold import hold
from ...hosts.models import Host
from ...people.actor import SERVER
from ...storage import action
from .record_anomaly import record_anomaly

REASON = "Two machines call with its key. Resume it when you know which one is right."


@action
def dispute(host: Host, sentence: str) -> None:
    """Notes it, and holds a host that takes jobs: one of the machines would do another's work."""
    record_anomaly(host, "clone", sentence)
    host.refresh_from_db()
    if host.standing == Host.Standing.ADMITTED and not host.holding:
        hold(SERVER, host, REASON)

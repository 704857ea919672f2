"""Asks a host's agent to survey it now."""

from __future__ import annotations

from paddock_agent import wire
from paddock_core.link_state import Link

from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..awake import must_wake
from ..models import Host


@action
@requires(Role.OPERATOR, "Asking for a survey", of="host.paddock.name")
def ask_survey(actor: Actor, host: Host, mark: str = "") -> None:
    """The answer comes over the link, and brings the ``mark`` back. Raises NotNow for a host that is not connected."""
    if must_wake(host):
        raise NotNow(f"{host.name} is {host.power}. Wake it on its sheet: its agent surveys it when it starts.")
    if host.link != Link.CONNECTED:
        raise NotNow(f"{host.name} is {host.link}, so it cannot be surveyed.")
    connections.send(host.pk, wire.SurveyNow(mark=mark))
    write(actor, "asked to survey", "host", host.name, host.paddock.name)

"""The agent is connected, and nothing keeps it running: after a restart of the machine the host is gone."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import INSTALL
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and not host.kept_by:
        yield Found(
            "Its agent was started by hand. After the next reboot the host is gone until a person starts it.",
            host.link_since,
            (Evidence("The agent reported that no service runs it.", host.link_since),),
            Remedy("Install the agent as a service.", (INSTALL,)),
        )


RULE = Rule("started-by-hand", "Started by hand", Severity.NOTE, look=look)

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
            "Its agent was started by hand: after the next restart of the machine the host is gone until somebody logs "
            "in there.",
            host.link_since,
            (Evidence("The agent said at its hello that no service keeps it running.", host.link_since),),
            Remedy("Have the machine keep it running.", (INSTALL,)),
        )


RULE = Rule("started-by-hand", "Started by hand", Severity.NOTE, look=look)

"""The host's clock is off: signatures, certificates and time stamps of what it builds are wrong."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ...link_state import Link
from ...units import span
from ..commands import set_clock
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

MAX_OFFSET_SECONDS = 30.0
"""Seconds. Make goes wrong at less, but a busy network can delay a reading by as much."""
URGENT = 300.0
"""Beyond this, log-ins by Kerberos and one-time passwords fail."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED or math.isnan(host.clock) or abs(host.clock) < MAX_OFFSET_SECONDS:
        return
    which = "ahead of" if host.clock > 0 else "behind"
    yield Found(
        f"Its clock is {span(abs(host.clock))} {which} the server's. Builds get wrong times, and log-ins and "
        "certificates may fail.",
        0.0,
        (Evidence(f"Its clock minus the server's, median of the last minutes: {host.clock:+.1f} s.", now),),
        Remedy("Synchronise its clock over the network.", set_clock(host.family)),
        severity=Severity.URGENT if abs(host.clock) >= URGENT else None,
    )


RULE = Rule("clock-off", "Wrong clock", Severity.SOON, look=look)

"""Hardly any memory is free, for minutes: builds swap, or are killed."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import size
from ...link_state import Link
from ..commands import biggest_processes
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

LEAST_SHARE = 0.04


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and host.memory > 0 and host.memory_free < LEAST_SHARE * host.memory:
        yield Found(
            f"Only {size(host.memory_free)} of its {size(host.memory)} of memory are free: builds get slow, and "
            "the system "
            "may kill them.",
            host.link_since,
            (Evidence(f"{size(host.memory_free)} free, median of the last minutes.", now),),
            Remedy("See what takes it. Fewer slots leave more for each job.", (biggest_processes(host.family),)),
        )


RULE = Rule("memory-pressure", "Memory is short", Severity.SOON, look=look)

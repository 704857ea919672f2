"""Hardly any memory is free, for minutes: builds swap, or are killed."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ...units import memory_size
from ..commands import biggest_processes
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

LEAST_SHARE = 0.04


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and host.memory > 0 and host.memory_free < LEAST_SHARE * host.memory:
        yield Found(
            f"Only {memory_size(host.memory_free)} of its {memory_size(host.memory)} of memory are free. "
            "Builds get slow, and the system may kill them.",
            0.0,
            (Evidence(f"{memory_size(host.memory_free)} free, median of the last minutes.", now),),
            Remedy(
                "Find the largest processes. Fewer slots leave more memory per job.", (biggest_processes(host.family),)
            ),
        )


RULE = Rule("memory-pressure", "Little free memory", Severity.SOON, look=look)

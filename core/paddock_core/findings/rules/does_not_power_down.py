"""A host did not power down when the server ordered it."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if not host.down_failed:
        return
    yield Found(
        f"The server ordered it to power down, and it is still on. {host.down_failed}",
        host.power_since,
        tuple(Evidence(what, at) for what, at in host.power_evidence),
        Remedy("Read what its watch says about the order.", ("paddock-agent watch report",)),
    )


RULE = Rule("does-not-power-down", "It does not power down", Severity.NOTE, look=look)

"""The agent's environment is older than the machine's: tools that were installed since it started are not seen."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import RESTART
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and host.outdated:
        yield Found(
            f"{', '.join(host.outdated[:6])} changed on the machine since its agent started: tools that were installed "
            "since are not seen.",
            host.link_since,
            tuple(Evidence(f"{name} differs from what a fresh log-in has.") for name in host.outdated[:6]),
            Remedy("Start its agent afresh; it finishes what runs first.", (RESTART,), "start afresh"),
        )


RULE = Rule("environment-old", "Works with an old environment", Severity.SOON, look=look)

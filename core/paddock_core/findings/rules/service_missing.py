"""The service that kept the agent running is not there any more."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import INSTALL
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if watch and host.kept_by and watch.running == "missing":
        yield Found(
            f"The machine is up, but the agent's service {host.kept_by} was removed.",
            host.link_since,
            (Evidence(host.link_cause, host.link_since), Evidence("The watch: no such service exists.", watch.at)),
            Remedy("Install the service again.", (INSTALL,)),
        )


RULE = Rule("service-missing", "The agent's service is gone", Severity.URGENT, look=look)

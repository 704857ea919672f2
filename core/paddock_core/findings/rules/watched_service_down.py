"""A service that builds need does not run."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import show_service, start_service
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED:
        return
    for service in host.services:
        if service.running == "running":
            continue
        state = "is not installed" if service.running == "missing" else f"is {service.running}"
        yield Found(
            f"The watched service {service.name} {state}. Jobs that ask for it run elsewhere.",
            service.since,
            (Evidence(f"The agent: {service.name} {state}.", service.since),),
            Remedy(
                "Start it." if service.running != "missing" else "Install it, or remove it from the watched services.",
                (
                    *([start_service(host.family, service.name)] if service.running != "missing" else []),
                    show_service(host.family, service.name),
                ),
                Action.NONE if service.running == "missing" else Action.START_SERVICE,
            ),
            about=service.name,
        )


RULE = Rule("watched-service-down", "A watched service is down", Severity.URGENT, look=look)

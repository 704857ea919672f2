"""The agent's environment is older than the machine's: tools that were installed since it started are not seen."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import RESTART
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and host.outdated:
        yield Found(
            f"{', '.join(host.outdated[:6])} changed on the machine since its agent started. It does not see newly "
            "installed tools.",
            host.link_since,
            tuple(Evidence(f"{name} differs from that of a new log-in.") for name in host.outdated[:6]),
            Remedy("Restart the agent. Running jobs finish first.", (RESTART,), Action.RESTART_AGENT),
        )


RULE = Rule("environment-old", "Outdated environment", Severity.SOON, look=look)

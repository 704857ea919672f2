"""Neither the agent nor the watch is heard: the machine is down, or cut off."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.LOST or host.watch is None or host.watch_state or not host.watch_is_silent(now):
        return
    yield Found(
        "Its agent and its watch are silent. The machine is down, or cut off from the server.",
        host.link_since,
        (
            Evidence(host.link_cause, host.link_since),
            Evidence("The last report of the watch.", host.watch.at),
            Evidence(f"It called from {host.address or 'an unknown address'}."),
        ),
        Remedy("Check its power and network. If it is up, run `paddock-agent doctor` there as root."),
        unknown="Whether the machine or only its network is down.",
    )


RULE = Rule("machine-silent", "The machine is silent", Severity.URGENT, look=look)

"""Two machines call with one key: a disk was copied with the agent on it."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

FORGOTTEN_AFTER = 3600.0
"""Seconds without another call after which the copy counts as gone: an agent that was turned off does not come back."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.clone and now - host.clone.at < FORGOTTEN_AFTER:
        yield Found(
            "Two agents use its key: a disk was copied with the agent on it, or a second agent was started. "
            + ("The host is held, so neither gets jobs." if host.holding else "The second one was refused."),
            host.clone.at,
            (Evidence(host.clone.sentence, host.clone.at), Evidence(f"The host last called from {host.address}.")),
            Remedy(
                "Give the copy its own key with an entry pass; it then waits at the gate as another host. "
                "Then resume this one.",
                ("paddock-agent join --again",),
            ),
            unknown="Which of the two is the original.",
        )


RULE = Rule("clone", "Two agents use one key", Severity.SOON, look=look)

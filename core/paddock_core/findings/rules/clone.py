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
            "Two agents call with its key: a disk was copied with the agent on it, or a second agent was started. "
            + ("The host is held, so neither gets jobs." if host.holding else "The one that came second was refused."),
            host.clone.at,
            (Evidence(host.clone.sentence, host.clone.at), Evidence(f"The host last called from {host.address}.")),
            Remedy(
                "Give the copy a key of its own, with an entry pass: it then stands at the gate as another host. "
                "After that, resume this one.",
                ("paddock-agent join --again",),
            ),
            unknown="Which of the two is the right one: only a person knows.",
        )


RULE = Rule("clone", "A copy calls with its key", Severity.SOON, look=look)

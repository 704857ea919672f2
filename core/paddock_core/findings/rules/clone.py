"""Two machines call with one key: a disk was copied with the agent on it."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen

FORGOTTEN_AFTER = 3600.0
"""Seconds without another call after which the copy counts as gone: an agent that was turned off does not come back."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.clone and now - host.clone.at < FORGOTTEN_AFTER:
        yield Found(
            "Another machine calls with its key: its disk was copied with the agent on it. The copy was turned off.",
            host.clone.at,
            (Evidence(host.clone.sentence, host.clone.at),),
            Remedy(
                "On the copy, remove the agent's folder and join with a pass of its own.",
                ("paddock-agent leave --anyway", "paddock-agent join"),
            ),
        )


RULE = Rule("clone", "A copy calls with its key", Severity.SOON, look=look)

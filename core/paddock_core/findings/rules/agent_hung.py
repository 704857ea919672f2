"""The agent's process is there and does nothing: its service runs and it is not connected, or offers go unanswered."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import span
from ...link_state import Link
from ..commands import RESTART, read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

LEAST_UNANSWERED = 2
WITHIN = 3600.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if watch and watch.running == "running" and now - max(host.link_since, watch.since) >= host.watch_every / 2:
        yield Found(
            "The machine is up and its watch reaches the server. The agent's service runs, but the agent is not heard.",
            host.link_since,
            (
                Evidence(host.link_cause, host.link_since),
                Evidence(f"The watch: {watch.service} runs, {span(now - host.link_since)} after that.", watch.at),
            ),
            Remedy("Start it afresh.", (RESTART, read_log(host.family, watch.service))),
            unknown="Whether it hangs, starts again and again, or cannot reach the server: its host was not examined.",
        )
        return
    recent = [at for at in host.unanswered if at > now - WITHIN]
    if host.link is Link.CONNECTED and len(recent) >= LEAST_UNANSWERED:
        yield Found(
            f"Its agent is connected, but did not answer {len(recent)} offers of jobs in the last hour: it makes no "
            "progress.",
            min(recent),
            tuple(Evidence("An offer was taken back unanswered.", at) for at in recent[-3:]),
            Remedy("Start it afresh.", (RESTART, read_log(host.family, host.kept_by)), "start afresh"),
        )


RULE = Rule("agent-hung", "The agent hangs", Severity.URGENT, look=look)

"""The agent's process is there and does nothing: its service runs and it is not connected, or offers go unanswered."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ...units import span
from ..commands import RESTART, read_log
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

LEAST_UNANSWERED = 2
OFFER_WINDOW_SECONDS = 3600.0


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if watch and watch.running == "running" and now - max(host.link_since, watch.since) >= host.watch_every / 2:
        yield Found(
            "The machine is up, its watch reaches the server, and the agent's service runs, but the agent is silent.",
            host.link_since,
            (
                Evidence(host.link_cause, host.link_since),
                Evidence(f"The watch: {watch.service} runs, {span(now - host.link_since)} after that.", watch.at),
            ),
            Remedy("Restart the agent.", (RESTART, read_log(host.family, watch.service))),
            unknown="Whether it hangs, restarts repeatedly, or cannot reach the server. The host was not examined.",
        )
        return
    recent = [at for at in host.unanswered if at > now - OFFER_WINDOW_SECONDS]
    if host.link is Link.CONNECTED and len(recent) >= LEAST_UNANSWERED:
        yield Found(
            f"Its agent is connected, but did not answer {len(recent)} job offers in the last hour.",
            min(recent),
            tuple(Evidence("An offer expired unanswered.", at) for at in recent[-3:]),
            Remedy("Restart the agent.", (RESTART, read_log(host.family, host.kept_by)), Action.RESTART_AGENT),
        )


RULE = Rule("agent-hung", "The agent hangs", Severity.URGENT, look=look)

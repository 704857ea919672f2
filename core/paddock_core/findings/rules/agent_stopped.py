"""The agent was stopped, and no watch reports."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import SHUT_DOWN, Link
from ..commands import START, WATCH
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.STOPPED or host.watch_state or host.holding:
        return
    unknown = ""
    if host.link_cause == SHUT_DOWN:
        sentence = "Its machine was shut down and has not come back."
        remedy = Remedy("If this was intended, hold the host. Otherwise power it up.")
    elif host.watch_is_silent(now):
        sentence = (
            "Its agent was stopped, and its watch has been silent since. The machine is down or cut off, or it "
            "prevents both from running."
        )
        unknown = "Whether the machine was shut down or lost its network. Neither its agent nor its watch reported it."
        remedy = Remedy(
            "Check its power and network. If it is up, run `paddock-agent doctor` there as root. If it is meant to "
            "be away, hold it."
        )
    else:
        sentence = "Its agent was stopped."
        remedy = Remedy("Start it when the host is needed.", (START, *(() if host.watch else (WATCH,))))
    evidence = [Evidence(host.link_cause, host.link_since)]
    if host.watch:
        evidence.append(Evidence("The last report of the watch.", host.watch.at))
    yield Found(sentence, host.link_since, tuple(evidence), remedy, unknown=unknown)


RULE = Rule("agent-stopped", "Stopped, not held", Severity.SOON, look=look)

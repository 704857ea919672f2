"""The agent said goodbye, and no watch tells more."""

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
        sentence = "Its machine was shut down in order, and has not come back."
        remedy = Remedy("Nothing, if that was meant; hold it, so that everybody knows. Else power it up.")
    elif host.watch_is_silent(now):
        sentence = (
            "Its agent was stopped, and its watch is not heard since: the machine is down, or cut off, or keeps both "
            "from running."
        )
        unknown = "Whether the machine was shut down or lost its network: neither its agent nor its watch said."
        remedy = Remedy(
            "Look whether it has power and network. If it is up, `paddock-agent doctor`, there as root, says what is "
            "wrong. Hold it, if it is meant to be away."
        )
    else:
        sentence = "Its agent was stopped."
        remedy = Remedy("Start it when it should work again.", (START, *(() if host.watch else (WATCH,))))
    evidence = [Evidence(host.link_cause, host.link_since)]
    if host.watch:
        evidence.append(Evidence("The last report of the watch.", host.watch.at))
    yield Found(sentence, host.link_since, tuple(evidence), remedy, unknown=unknown)


RULE = Rule("agent-stopped", "Stopped, and not held", Severity.SOON, look=look)

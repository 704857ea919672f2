"""The agent is away, and its host was examined: the nearest cause, as far as the evidence goes."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

CODE = "agent-down"
REPLACES = frozenset(
    {
        "account-cannot-log-on",
        "agent-ended",
        "agent-hung",
        "agent-stopped",
        "gone-after-reboot",
        "machine-silent",
        "service-disabled",
        "service-fails",
        "service-missing",
        "service-stopped",
    }
)
"""Findings without such evidence: beside a known cause they would only be its consequence."""


NO_SERVICE = "unit missing"


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if not watch or not watch.diagnosis:
        return
    one = watch.diagnosis
    if one.cause == NO_SERVICE and not host.kept_by:
        return  # it was started by hand, and never had one
    yield Found(
        one.sentence,
        host.link_since,
        (*(Evidence(text, watch.at if not i else 0.0) for i, text in enumerate(one.evidence)), _link(host)),
        Remedy(one.remedy, one.commands),
        about=one.cause,
        unknown=one.unknown,
        possible=one.possible,
    )


def _link(host: HostSeen) -> Evidence:
    return Evidence(host.link_cause, host.link_since)


RULE = Rule(CODE, "The agent does not work", Severity.URGENT, look=look)

"""The machine is up, and its agent's service was stopped."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import START, read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    told = host.told_since
    if not told or told.running != "stopped" or not told.starts_at_boot or told.cause not in ("", "disabled"):
        return
    who = "with the agent's own command, so on purpose" if told.on_purpose else "and not by the agent's own command"
    yield Found(
        f"The machine is up, and the service of its agent was stopped {who}.",
        host.link_since,
        (
            Evidence(host.link_cause, host.link_since),
            Evidence(f"The watch: {told.sentence or 'the service is stopped.'}", told.at),
        ),
        Remedy(
            "Start it again, on the machine"
            + (", or have its watch do it from here." if host.watch_may_start else "."),
            (START, read_log(host.family, told.service)),
            "have it started" if host.watch_may_start else "",
        ),
        severity=Severity.NOTE if told.on_purpose else None,
    )


RULE = Rule("service-stopped", "The agent's service is stopped", Severity.URGENT, look=look)

"""The machine is up, and its agent's service was stopped."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import START, read_log
from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if not watch or watch.running != "stopped" or not watch.starts_at_boot or watch.cause not in ("", "disabled"):
        return
    who = " with the agent's own command, on purpose" if watch.on_purpose else ", but not with the agent's own command"
    yield Found(
        f"The machine is up. The agent's service was stopped{who}.",
        host.link_since,
        (
            Evidence(host.link_cause, host.link_since),
            Evidence(f"The watch: {watch.sentence or 'the service is stopped.'}", watch.at),
        ),
        Remedy(
            "Start it on the machine" + (", or let its watch start it." if host.watch_may_start else "."),
            (START, read_log(host.family, watch.service)),
            Action.REQUEST_START if host.watch_may_start else Action.NONE,
        ),
        severity=Severity.NOTE if watch.on_purpose else None,
    )


RULE = Rule("service-stopped", "The agent's service is stopped", Severity.URGENT, look=look)

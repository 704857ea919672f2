"""The agent's service is set not to start at boot: it is gone after the next restart of the machine, if not already."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import START
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    told = host.watch
    if not told or host.watch_is_silent(now) or told.starts_at_boot or told.running == "missing":
        return
    runs = told.running == "running"
    if not runs and told.cause not in ("", "disabled"):
        return
    if runs:
        sentence = "Its service runs, but is not set to start at boot: after a restart of the machine the host is gone."
    else:
        sentence = "Its service is disabled and does not run: nothing starts it, not even a restart of the machine."
    yield Found(
        sentence,
        host.link_since if host.is_away else told.at,
        (Evidence(f"The watch: start type {told.start_type or 'not at boot'}, {told.running}.", told.at),),
        Remedy(
            "Have it start at boot" + ("." if runs else ", and start it."), (*told.remedy, *(() if runs else (START,)))
        ),
        severity=Severity.SOON if runs else Severity.URGENT,
    )


RULE = Rule("service-disabled", "The agent's service is disabled", Severity.URGENT, look=look)

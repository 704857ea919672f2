"""The agent's service is set not to start at boot: it is gone after the next restart of the machine, if not already."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import START
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch
    if not watch or host.watch_is_silent(now) or watch.starts_at_boot or watch.running == "missing":
        return
    runs = watch.running == "running"
    if not runs and watch.cause not in ("", "disabled"):
        return
    if runs:
        sentence = "Its service runs, but does not start at boot. After a reboot the host will be gone."
    else:
        sentence = "Its service is disabled and stopped. Nothing starts it, not even a reboot."
    yield Found(
        sentence,
        host.link_since if host.is_away else watch.at,
        (Evidence(f"The watch: start type {watch.start_type or 'not at boot'}, {watch.running}.", watch.at),),
        Remedy(
            "Enable it at boot" + ("." if runs else ", then start it."), (*watch.remedy, *(() if runs else (START,)))
        ),
        severity=Severity.SOON if runs else Severity.URGENT,
    )


RULE = Rule("service-disabled", "The agent's service is disabled", Severity.URGENT, look=look)

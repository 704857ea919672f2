"""The machine is up, and the agent's service does not start: the watch knows the service manager's own reason."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen
from .account_cannot_log_on import CAUSES as ACCOUNT_CAUSES


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch
    if not watch or host.watch_is_silent(now) or watch.cause in ("", "disabled", *ACCOUNT_CAUSES):
        return
    if watch.running in ("running", "missing"):
        return
    yield Found(
        f"The machine is up. {watch.sentence}",
        host.link_since if host.is_away else watch.at,
        (
            Evidence(f"The watch: {watch.running}, {watch.cause}{f' ({watch.code})' if watch.code else ''}.", watch.at),
            *([Evidence(f"Restarted {watch.restarts} times by its service manager.")] if watch.restarts else []),
            *(Evidence(f"Its log: {line}") for line in watch.lines[-3:]),
        ),
        Remedy("Fix the cause, then start it.", (*watch.remedy, read_log(host.family, watch.service))),
        about=watch.cause,
    )


RULE = Rule("service-fails", "The agent's service does not start", Severity.URGENT, look=look)

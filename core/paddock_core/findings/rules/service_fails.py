"""The machine is up, and the agent's service does not start: the watch knows the service manager's own reason."""

from __future__ import annotations

from collections.abc import Iterator

from ..commands import read_log
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen
from .account_cannot_log_on import CAUSES as ACCOUNT_CAUSES


def look(host: HostSeen, now: float) -> Iterator[Found]:
    told = host.watch
    if not told or host.watch_is_silent(now) or told.cause in ("", "disabled", *ACCOUNT_CAUSES):
        return
    if told.running in ("running", "missing"):
        return
    yield Found(
        f"The machine is up. {told.sentence}",
        host.link_since if host.is_away else told.at,
        (
            Evidence(f"The watch: {told.running}, {told.cause}{f' ({told.code})' if told.code else ''}.", told.at),
            *([Evidence(f"Started {told.restarts} times again by its service manager.")] if told.restarts else []),
            *(Evidence(f"Its log: {line}") for line in told.lines[-3:]),
        ),
        Remedy("Mend the cause, then start it.", (*told.remedy, read_log(host.family, told.service))),
        about=told.cause,
    )


RULE = Rule("service-fails", "The agent's service does not start", Severity.URGENT, look=look)

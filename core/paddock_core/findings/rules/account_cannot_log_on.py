"""The agent's service does not start because of its account."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

CAUSES = ("no account", "no group", "logon failed", "no right to log on", "no login session")
"""The causes, in the words of the watch, that lie in the account."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch
    if not watch or host.watch_is_silent(now) or watch.cause not in CAUSES or watch.running == "running":
        return
    yield Found(
        f"The machine is up. {watch.sentence}",
        host.link_since if host.is_away else watch.at,
        (
            Evidence(
                f"The watch: {watch.cause}{f' ({watch.code})' if watch.code else ''}, account {watch.account}.",
                watch.at,
            ),
            *(Evidence(f"Its log: {line}") for line in watch.lines[-2:]),
        ),
        Remedy("Fix the account on the machine, then start the service.", watch.remedy),
        about=watch.account,
    )


RULE = Rule("account-cannot-log-on", "The agent's account cannot log on", Severity.URGENT, look=look)

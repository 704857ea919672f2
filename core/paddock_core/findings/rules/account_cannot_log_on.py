"""The agent's service does not start because of its account."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen

CAUSES = ("no account", "no group", "logon failed", "no right to log on", "nobody logged in")
"""The causes, in the words of the watch, that lie in the account."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    told = host.watch
    if not told or host.watch_is_silent(now) or told.cause not in CAUSES or told.running == "running":
        return
    yield Found(
        f"The machine is up. {told.sentence}",
        host.link_since if host.is_away else told.at,
        (
            Evidence(
                f"The watch: {told.cause}{f' ({told.code})' if told.code else ''}, account {told.account}.", told.at
            ),
            *(Evidence(f"Its log: {line}") for line in told.lines[-2:]),
        ),
        Remedy("Mend the account on the machine, then start the service.", told.remedy),
        about=told.account,
    )


RULE = Rule("account-cannot-log-on", "The agent's account cannot log on", Severity.URGENT, look=look)

"""The work folder is missing, closed to the agent's account, or its path is too long or has a space in it."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ..commands import own_folder
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is Link.CONNECTED and host.work_trouble:
        yield Found(
            f"Jobs cannot run in its work folder: {host.work_trouble}.",
            host.link_since,
            (Evidence(f"{host.work_folder}, as the account {host.account}: {host.work_trouble}.", now),),
            Remedy(
                "Give the folder to the agent's account, or name another when the agent joins.",
                own_folder(host.family, host.work_folder, host.account),
            ),
        )


RULE = Rule("work-folder", "The work folder cannot be used", Severity.URGENT, look=look)

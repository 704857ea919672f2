"""A newer agent has been there for a while, and this host does not run it."""

from __future__ import annotations

from collections.abc import Iterator

from ... import versions
from ...errors import VersionError
from ...link_state import Link
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

PATIENCE_DAYS = 14


def look(host: HostSeen, now: float) -> Iterator[Found]:
    since = host.newest_since + PATIENCE_DAYS * 86_400
    if host.link is not Link.CONNECTED or not host.newest_agent or now < since or not _is_behind(host):
        return
    yield Found(
        f"Its agent has version {host.agent_version}. Version {host.newest_agent} has been available for more than "
        f"{PATIENCE_DAYS} days.",
        since,
        (Evidence(f"The server holds {host.newest_agent}.", host.newest_since),),
        Remedy("Start a rollout in Versions."),
    )


def _is_behind(host: HostSeen) -> bool:
    try:
        return versions.parse(host.agent_version) < versions.parse(host.newest_agent)
    except VersionError:
        return False


RULE = Rule("agent-behind", "The agent is behind", Severity.NOTE, look=look)

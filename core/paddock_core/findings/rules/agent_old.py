"""The agent is older than the server supports."""

from __future__ import annotations

from collections.abc import Iterator

from ... import versions
from ...errors import VersionError
from ...link_state import Link
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED or host.agent_version == host.oldest_agent or not _is_older(host):
        return
    yield Found(
        f"Its agent has version {host.agent_version or 'unknown'}. This server supports {host.oldest_agent} and "
        "newer. Newer features do not work on this host.",
        host.link_since,
        (Evidence(f"Version reported when it connected: {host.agent_version or 'none'}.", host.link_since),),
        Remedy("Run the bring-up script again on the machine. Its key and name stay."),
    )


def _is_older(host: HostSeen) -> bool:
    try:
        return versions.parse(host.agent_version) < versions.parse(host.oldest_agent)
    except VersionError:
        return bool(host.oldest_agent)


RULE = Rule("agent-old", "The agent is too old", Severity.SOON, look=look)

"""Which hosts a version can reach, and why others are left out, before anything starts."""

from __future__ import annotations

from collections.abc import Sequence

from paddock_agent import wire
from paddock_core.link_state import Link
from paddock_core.rollout import Candidate

from ..errors import Invalid
from ..hosts.models import Host
from ..install.index import order_key
from ..install.versions import AgentVersion, Machine, held_version, held_versions, why_unfit

BRING_UP_AGAIN = "Run the server's bring-up command on it again."


def demand_version(version: str) -> AgentVersion:
    """The version, "" for the newest. Raises Invalid for one that this server does not hold or cannot speak with."""
    held = held_version(version)
    if held is None:
        known = ", ".join(one.version for one in held_versions()) or "none"
        raise Invalid(f"This server does not hold the agent {version or 'in any version'}. It holds: {known}.")
    if not wire.OLDEST <= held.protocol <= wire.VERSION:
        raise Invalid(
            f"The agent {held.version} speaks version {held.protocol} of the link, and this server speaks "
            f"{wire.OLDEST} to {wire.VERSION}."
        )
    return held


def version_of(host: Host) -> str:
    """The version of the agent that last connected."""
    return str(host.facts.get("agent_version", ""))


def is_behind(host: Host, newest: str) -> bool:
    """Whether its agent is older than the newest version."""
    return order_key(version_of(host)) < order_key(newest)


def why_left_out(host: Host, version: AgentVersion) -> str:
    """Why a rollout of this version cannot reach the host, "" where it can."""
    if host.standing != Host.Standing.ADMITTED:
        return f"It is {host.standing}."
    if not host.facts:
        return "Its agent never connected."
    if version_of(host) == version.version:
        return f"It runs {version.version} already."
    if not host.facts.get("kept_by"):
        return f"Its agent was started by hand, so nothing would bring the old version back. {BRING_UP_AGAIN}"
    report = getattr(getattr(host, "health", None), "report", None)
    if not report:
        return "It has no watch, so nothing would bring the old version back. Run `paddock-agent watch install` on it."
    if not report.get("upgrades"):
        return f"Its watch cannot upgrade it. {BRING_UP_AGAIN}"
    return why_unfit(version, Machine.of_facts(host.facts))


def candidates(hosts: Sequence[Host], version: AgentVersion) -> list[Candidate]:
    """The hosts for the core's plan."""
    return [
        Candidate(
            host.name,
            host.paddock.name,
            group_of(host),
            host.link == Link.CONNECTED,
            why_left_out(host, version),
        )
        for host in hosts
    ]


def group_of(host: Host) -> str:
    """The hosts that one canary stands for: the same system, kept by the same service manager."""
    system = str(host.facts.get("os", "")) or "unknown"
    report = getattr(getattr(host, "health", None), "report", None) or {}
    return f"{system}, at log-in" if report.get("state", {}).get("start_type") == "at log-in" else system

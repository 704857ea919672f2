"""Several hosts of one network fell silent at once: one finding about the network, instead of one for each host."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from functools import lru_cache
from ipaddress import ip_address, ip_network

from ...link_state import Link
from ..finding import Evidence, Finding, Found, Remedy, Rule, Severity
from ..observed import FleetSeen, HostSeen

TOGETHER = 90.0
"""Seconds within which hosts that fall silent do so at once."""
LEAST_HOSTS = 3
SHOWN = 6
CODE = "network-silent"
_COVERS = ("machine-silent", "agent-ended")


@lru_cache(maxsize=10_000)
def network_of(address: str) -> str:
    """The network that an address is taken to belong to: 24 bits of IPv4, 64 of IPv6; "" for none.

    >>> network_of("10.20.7.9"), network_of("elsewhere")
    ('10.20.7.0/24', '')
    """
    try:
        found = ip_address(address)
    except ValueError:
        return ""
    return "" if found.is_loopback else str(ip_network(f"{found}/{24 if found.version == 4 else 64}", strict=False))


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    lost = {
        network_of(host.address)
        for host in fleet.hosts
        if host.link is Link.LOST and host.is_admitted and not host.sleeps
    } - {""}
    members: dict[str, list[HostSeen]] = defaultdict(list)
    for host in fleet.hosts if lost else ():
        if host.is_admitted and (network := network_of(host.address)) in lost:
            members[network].append(host)
    for network, hosts in members.items():
        silent = [host for host in hosts if host.link is Link.LOST and not host.watch_state and not host.sleeps]
        at_once = _largest_run(sorted(silent, key=lambda host: host.link_since))
        present = [host for host in hosts if host.link is Link.CONNECTED]
        if len(at_once) < LEAST_HOSTS or len(present) > len(at_once):
            continue
        paddocks = sorted({host.paddock for host in at_once})
        others = f"{len(present)} of the same network still answer." if present else "No host of that network answers."
        yield Found(
            f"{len(at_once)} hosts of the network {network} fell silent at the same time. {others} The cause is the "
            "network or the power, not the hosts.",
            at_once[0].link_since,
            (
                *(Evidence(f"{host.name} in {host.paddock} was lost.", host.link_since) for host in at_once[:SHOWN]),
                *([Evidence(f"{len(at_once) - SHOWN} more.")] if len(at_once) > SHOWN else []),
            ),
            Remedy(f"Check the switch, the cables and the power of {network}. The hosts reconnect by themselves."),
            about=network,
            hosts=tuple(host.name for host in at_once),
            paddock=paddocks[0] if len(paddocks) == 1 else "",
        )


def _largest_run(silent: list[HostSeen]) -> list[HostSeen]:
    """The most hosts that were lost within ``TOGETHER`` of each other; in order of time."""
    best: list[HostSeen] = []
    first = 0
    for last, host in enumerate(silent):
        while host.link_since - silent[first].link_since > TOGETHER:
            first += 1
        if last - first + 1 > len(best):
            best = silent[first : last + 1]
    return best


def covered(found: Iterable[Finding]) -> set[str]:
    """The keys of the findings about single hosts that one about their network stands for."""
    found = list(found)
    hosts = {host for one in found if one.code == CODE for host in one.hosts}
    return {one.key for one in found if one.code in _COVERS and one.hosts[0] in hosts} if hosts else set()


RULE = Rule(CODE, "A network is cut off", Severity.URGENT, look_at_all=look_at_all)

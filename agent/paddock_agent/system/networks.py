"""The IPv4 networks of this machine, as its cards have them."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Iterable

from ..wake_on_lan import hardware_address
from .port import NetworkCard


def network_cards() -> list[NetworkCard]:
    """Each card with a hardware address, in each of its IPv4 networks; those without one, like the loopback, are left
    out."""
    import psutil  # the watch needs none of this, and nothing of the agent's packages

    found = []
    for addresses in psutil.net_if_addrs().values():
        hardware = _hardware(one.address for one in addresses if one.family == psutil.AF_LINK)
        for one in addresses:
            if hardware and one.family == socket.AF_INET and one.netmask:
                try:
                    network = ipaddress.IPv4Network(f"{one.address}/{one.netmask}", strict=False)
                except ValueError:
                    continue
                if network.prefixlen < 31 and not network.is_loopback:
                    found.append(NetworkCard(hardware, one.address, str(network.broadcast_address)))
    return found


def _hardware(addresses: Iterable[str]) -> str:
    for address in addresses:
        try:
            return hardware_address(address)
        except ValueError:
            continue
    return ""

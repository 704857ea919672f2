"""Wake-on-LAN: the magic packet that switches a machine on (AMD, Magic Packet Technology, publication 20213, 1995).

Six bytes of 0xFF, then the machine's hardware address 16 times. Any frame that has these bytes in a row will do; by
custom it is a UDP datagram to port 9, sent as a broadcast, since a machine that is off answers no question for its
address. Routers do not pass broadcasts on, so the sender is in the same network.
"""

from __future__ import annotations

import ipaddress
import re
import socket

PORT = 9
_ADDRESS = re.compile(r"[0-9a-f]{2}(:[0-9a-f]{2}){5}")


def hardware_address(text: str) -> str:
    """The address as ``00:1b:44:11:3a:b7``, from any usual spelling. Raises ValueError for one that no network card can
    have: not six bytes, none at all, or one of a group."""
    plain = text.strip().lower().replace("-", ":")
    if re.fullmatch(r"[0-9a-f]{12}", plain):
        plain = ":".join(plain[at : at + 2] for at in range(0, 12, 2))
    if not _ADDRESS.fullmatch(plain):
        raise ValueError(f"{text.strip()[:40]!r} is not a hardware address. Write it as 00:1b:44:11:3a:b7.")
    if plain == "00:00:00:00:00:00" or int(plain[:2], 16) & 1:
        raise ValueError(f"{plain} is not the address of one network card.")
    return plain


def magic_packet(address: str) -> bytes:
    """The 102 bytes that wake the machine with this hardware address. Raises ValueError."""
    return b"\xff" * 6 + bytes.fromhex(hardware_address(address).replace(":", "")) * 16


def send_magic_packet(address: str, broadcast: str, port: int = PORT) -> None:
    """Sends one to a network's broadcast address (IPv4). Raises OSError where the system refuses, ValueError for an
    impossible address."""
    target = str(ipaddress.IPv4Address(broadcast))
    packet = magic_packet(address)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        sender.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        sender.sendto(packet, (target, port))

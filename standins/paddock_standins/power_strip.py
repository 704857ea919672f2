"""A power strip with ears: it hears magic packets as network cards do that are off, and boots the stand-in machine with
that hardware address, after as long as that machine takes."""

from __future__ import annotations

import asyncio
import logging
import os
import socket
from collections.abc import Sequence

from .machine import Machine

log = logging.getLogger("paddock.standins")

VARIABLE = "PADDOCK_WAKE_PORT"
PACKET_BYTES = 102


class PowerStrip(asyncio.DatagramProtocol):
    """All machines that are plugged in."""

    def __init__(self, machines: Sequence[Machine]) -> None:
        self._machines = {machine.system.networks()[0].hardware: machine for machine in machines}
        self._booting: dict[str, asyncio.Task[None]] = {}

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        """A packet of any kind, from anybody."""
        machine = self._machines.get(hardware_in(data))
        if machine is None or machine.is_on or machine.description.name in self._booting:
            return
        if not machine.description.wakes:
            log.info("%s hears a magic packet and does not wake.", machine.description.name)
            return
        name = machine.description.name
        self._booting[name] = asyncio.get_running_loop().create_task(self._boot(name, machine))

    async def _boot(self, name: str, machine: Machine) -> None:
        try:
            await asyncio.sleep(machine.description.boot_seconds)
            machine.power_on()
        finally:
            del self._booting[name]


def hardware_in(data: bytes) -> str:
    """The hardware address in a magic packet; "" for anything else."""
    address = data[6:12]
    if len(data) != PACKET_BYTES or data != b"\xff" * 6 + address * 16:
        return ""
    return address.hex(":")


async def plug_in(machines: Sequence[Machine]) -> asyncio.DatagramTransport | None:
    """Listens where the server sends its packets; None where it names no port."""
    port = int(os.environ.get(VARIABLE, "0"))
    if not port:
        return None
    ears = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ears.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    ears.bind(("", port))
    transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(lambda: PowerStrip(machines), sock=ears)
    return transport

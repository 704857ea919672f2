"""Magic packets: from the server itself, and from a neighbour in the sleeper's network, since routers do not pass
broadcasts on."""

from __future__ import annotations

from django.conf import settings

from paddock_agent import wire

from ...process import connections, event_loop
from ..actions.power_down import PROTOCOL
from .port import Card, Target, Tried

EVERYWHERE = "255.255.255.255"
"""Reaches every machine in the server's own network (RFC 919)."""


class WakeOnLan:
    def wake(self, target: Target) -> Tried:
        """See the port."""
        if not target.cards:
            return Tried(("Its hardware address is not known: its agent never reported one. Enter it on its sheet.",))
        lines = [self._from_here(card) for card in target.cards]
        for card in target.cards:
            neighbour = next((one for one in target.neighbours if one.broadcast in card.broadcasts), None)
            if neighbour is None:
                continue
            message = wire.WakeNeighbour(wake=target.wake, hardware=card.hardware, broadcast=neighbour.broadcast)
            event_loop.post(_ask, neighbour.host_id, message)
            lines.append(f"The server asked {neighbour.name} to send a magic packet for {card.hardware}.")
        return Tried(tuple(lines))

    def _from_here(self, card: Card) -> str:
        failed = ""
        for broadcast in (*card.broadcasts, EVERYWHERE):
            try:
                wire.send_magic_packet(card.hardware, broadcast, settings.WAKE_PORT)
            except (OSError, ValueError) as error:
                failed = f"{broadcast}: {error}"
                continue
            return f"The server sent a magic packet for {card.hardware} to {broadcast}."
        return f"The server could not send a magic packet for {card.hardware} ({failed})."


def _ask(host_id: int, message: wire.WakeNeighbour) -> None:
    if connections.speaks(host_id, PROTOCOL):
        connections.put_now(host_id, message)

"""What is known of a sleeper that a way to wake it needs."""

from __future__ import annotations

from collections import defaultdict

from paddock_agent import wire
from paddock_core.link_state import Link

from ..hosts.models import Host
from .models import Wake
from .ways.port import Card, Neighbour, Target

MAX_NEIGHBOURS = 3
VIRTUAL = ("02:42:",)
"""Beginnings of hardware addresses that software bridges make up: nothing listens to them when the machine is off."""


def target_of(row: Wake, hardware: str) -> Target:
    """``hardware`` is the address that an administrator entered, "" for those that the agent reported."""
    cards = cards_of(row.host, hardware)
    wanted = {broadcast for card in cards for broadcast in card.broadcasts}
    return Target(row.pk, row.host.name, cards, tuple(_neighbours(row.host, wanted)))


def cards_of(host: Host, hardware: str) -> tuple[Card, ...]:
    """The cards to wake: the one with the entered hardware address, else all that its agent reported."""
    networks: dict[str, list[str]] = defaultdict(list)
    for one in host.facts.get("networks", ()):
        if not one["hardware"].startswith(VIRTUAL):
            networks[one["hardware"]].append(one["broadcast"])
    if hardware:
        everywhere = [broadcast for some in networks.values() for broadcast in some]
        return (Card(hardware, tuple(networks.get(hardware, everywhere))),)
    return tuple(Card(address, tuple(some)) for address, some in networks.items())[: wire.MAX_NETWORKS]


def _neighbours(host: Host, wanted: set[str]) -> list[Neighbour]:
    """Connected hosts of the same networks, the nearest first: those of the same paddock, then by name."""
    if not wanted:
        return []
    rows = Host.objects.filter(standing=Host.Standing.ADMITTED, link=Link.CONNECTED.value).exclude(pk=host.pk)
    found = [
        (one.paddock_id != host.paddock_id, one.name, Neighbour(one.pk, one.name, network["broadcast"]))
        for one in rows
        for network in one.facts.get("networks", ())
        if network["broadcast"] in wanted
    ]
    return [neighbour for *_, neighbour in sorted(found, key=lambda one: one[:2])][:MAX_NEIGHBOURS]

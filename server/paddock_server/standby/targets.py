"""What is known of a sleeper that a way to wake it needs."""

from __future__ import annotations

from collections import defaultdict

from paddock_agent import wire
from paddock_core.link_state import Link

from ..hosts.models import Host
from .models import PowerSettings, Wake, WakeWay
from .ways.port import Card, Controller, Neighbour, Script, Target

MAX_NEIGHBOURS = 3
VIRTUAL = ("02:42:",)
"""Beginnings of hardware addresses that software bridges make up: nothing listens to them when the machine is off."""


def target_of(row: Wake, chosen: PowerSettings) -> Target:
    """What the chosen way needs, and nothing that it does not."""
    name = row.host.name
    if chosen.way == WakeWay.REDFISH.value:
        return Target(row.pk, name, controller=controller_of(chosen))
    if chosen.way == WakeWay.SCRIPT.value:
        return Target(row.pk, name, script=Script(chosen.script, chosen.script_host_id))
    cards = cards_of(row.host, chosen.hardware)
    wanted = {broadcast for card in cards for broadcast in card.broadcasts}
    return Target(row.pk, name, cards, tuple(_neighbours(row.host, wanted)))


def controller_of(chosen: PowerSettings) -> Controller | None:
    """The controller of a host; None where none was entered."""
    if not chosen.controller:
        return None
    return Controller(
        chosen.controller,
        chosen.controller_user,
        bytes(chosen.controller_password),
        chosen.sealed_for,
        chosen.certificate,
        chosen.system,
        chosen.refused,
    )


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

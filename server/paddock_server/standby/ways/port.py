"""What a way to wake hosts needs to know of one."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Card:
    """A network card that can be woken: its hardware address, and the broadcast addresses of its networks."""

    hardware: str
    broadcasts: tuple[str, ...]


@dataclass(frozen=True)
class Neighbour:
    """A connected host whose agent can send into one of those networks."""

    host_id: int
    name: str
    broadcast: str


@dataclass(frozen=True)
class Target:
    """One host to wake. ``wake`` is the number of its wake."""

    wake: int
    host: str
    cards: tuple[Card, ...]
    neighbours: tuple[Neighbour, ...] = ()

"""What a way to wake hosts needs to know of one, and what it answers."""

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
class Controller:
    """What switches a machine on and off from beside it, and speaks Redfish. ``sealed`` is its password, opened with
    the name ``sealed_for``. ``refused`` says why it must not be asked."""

    address: str
    user: str
    sealed: bytes
    sealed_for: str
    certificate: str = ""
    system: str = ""
    refused: str = ""


@dataclass(frozen=True)
class Script:
    """What an administrator wrote to wake a host, and the host on which it runs; None where that has left."""

    text: str
    host_id: int | None


@dataclass(frozen=True)
class Target:
    """One host to wake. ``wake`` is the number of its wake."""

    wake: int
    host: str
    cards: tuple[Card, ...] = ()
    neighbours: tuple[Neighbour, ...] = ()
    controller: Controller | None = None
    script: Script | None = None


@dataclass(frozen=True)
class Tried:
    """What one try came to, in sentences. ``refused`` says why no other may follow until a person has looked, "" where
    it may."""

    lines: tuple[str, ...]
    refused: str = ""

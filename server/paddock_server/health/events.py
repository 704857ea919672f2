"""What the findings make known, within the action that writes them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from paddock_core.link_state import LinkEvent

from ..changes import Signal
from ..hosts.models import Host
from .models import Finding


@dataclass(frozen=True)
class FindingChanged:
    """A finding that was opened or closed."""

    finding: Finding
    event: Literal["opened", "closed"]


@dataclass(frozen=True)
class LinkSeen:
    """The link of a host changed by what the server saw."""

    host: Host
    seen: LinkEvent


@dataclass(frozen=True)
class PowerDownRefused:
    """The watch of a host did not carry out an order to power down; ``why`` is its sentence."""

    host: Host
    why: str


link_seen: Signal[LinkSeen] = Signal()
power_down_refused: Signal[PowerDownRefused] = Signal()
finding_changed: Signal[FindingChanged] = Signal()

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


link_seen: Signal[LinkSeen] = Signal()
finding_changed: Signal[FindingChanged] = Signal()

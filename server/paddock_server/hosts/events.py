"""What happens to hosts that other rooms must hear of. All are sent within the action, after the host is saved, so that
what a subscriber writes is committed with it."""

from __future__ import annotations

from dataclasses import dataclass

from ..changes import Signal
from .models import Host


@dataclass(frozen=True)
class Joined:
    """A machine that joined. ``sheet`` is the code of the bring-up sheet that it follows; "" for none."""

    host: Host
    sheet: str


@dataclass(frozen=True)
class JoinRefused:
    """A machine that was not let in, and why. It may follow the sheet with this code."""

    sheet: str
    hostname: str
    address: str
    why: str


join_refused: Signal[JoinRefused] = Signal()
"""Outside of an action: nothing of the refused join is kept."""
joined: Signal[Joined] = Signal()
admitted: Signal[Host] = Signal()
keys_ended: Signal[Host] = Signal()
"""It was turned away or retired."""
watch_key_changed: Signal[Host] = Signal()
hold_changed: Signal[Host] = Signal()

"""The ways to wake a host, behind one port: one file each."""

from __future__ import annotations

from typing import Protocol

from ..models import WakeWay
from .by_hand import ByHand
from .by_script import ByScript
from .port import Target, Tried
from .redfish import Redfish
from .wake_on_lan import WakeOnLan


class Way(Protocol):
    """A way to wake hosts. Used outside of the writer: it may take its time."""

    def wake(self, target: Target) -> Tried:
        """Tries once to wake the host. Never raises: what failed is in the answer."""


WAYS: dict[WakeWay, Way] = {
    WakeWay.NETWORK: WakeOnLan(),
    WakeWay.REDFISH: Redfish(),
    WakeWay.SCRIPT: ByScript(),
    WakeWay.BY_HAND: ByHand(),
}

__all__ = ["WAYS", "Target", "Tried", "Way"]

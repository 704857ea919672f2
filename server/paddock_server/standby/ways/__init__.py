"""The ways to wake a host, behind one port: one file each."""

from __future__ import annotations

from typing import Protocol

from ..models import WakeWay
from .by_hand import ByHand
from .port import Target
from .wake_on_lan import WakeOnLan


class Way(Protocol):
    """A way to wake hosts. Used outside of the writer: it may take its time."""

    def wake(self, target: Target) -> list[str]:
        """Tries once to wake the host; returns what was done, in sentences. Never raises: what failed is one of
        them."""


WAYS: dict[WakeWay, Way] = {WakeWay.NETWORK: WakeOnLan(), WakeWay.BY_HAND: ByHand()}

__all__ = ["WAYS", "Target", "Way"]

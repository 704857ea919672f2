"""A person switches the host on: there is nothing to send, only to say."""

from __future__ import annotations

from .port import Target, Tried


class ByHand:
    def wake(self, target: Target) -> Tried:
        """See the port."""
        return Tried((f"A person has to switch {target.host} on.",))

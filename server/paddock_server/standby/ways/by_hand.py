"""A person switches the host on: there is nothing to send, only to say."""

from __future__ import annotations

from .port import Target


class ByHand:
    def wake(self, target: Target) -> list[str]:
        """See the port."""
        return [f"A person has to switch {target.host} on."]

"""The backup that the server makes now, if it does."""

from __future__ import annotations

import asyncio
from datetime import datetime

from ..process import event_loop


class RunningBackup:
    """``asked_by`` is set from when a person asks until it begins; ``began_at`` while it is made."""

    def __init__(self) -> None:
        self.asked_by: str | None = None
        self.began_at: datetime | None = None
        self.wanted = asyncio.Event()

    def ask(self, name: str) -> None:
        """May be called in every thread."""
        self.asked_by = name
        event_loop.post(self.wanted.set)

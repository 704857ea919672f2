"""The spool of one agent: its messages, and the lanes of its attempts' logs."""

from __future__ import annotations

import contextlib
import logging
from pathlib import Path
from urllib.parse import unquote

from .. import wire
from ..errors import BadMessage
from .messages import Messages
from .segments import SpooledLog

log = logging.getLogger("paddock.agent")


class Spool:
    """What the server must still hear. One process at a time holds the folder ``home``."""

    def __init__(self, home: Path) -> None:
        self.messages = Messages(home / "spool.sqlite3")
        self.logs: dict[str, SpooledLog] = {}
        self._folder = home / "logs"
        with contextlib.suppress(OSError):  # where it cannot be made, logs wait in memory, and say so
            self._folder.mkdir(exist_ok=True, mode=0o700)
        self._load_logs()
        for body in self.messages.take_old():
            with contextlib.suppress(BadMessage):
                self.add(wire.from_agent(body))

    def _load_logs(self) -> None:
        for file in sorted(self._folder.glob("*.*")):
            name, _, number = file.name.rpartition(".")
            try:
                self._lane(unquote(name)).load(file, int(number))
            except (OSError, ValueError) as error:
                log.warning("The file %s of the spool is passed over: %s.", file, error)
        self._drop_done()

    def _lane(self, attempt: str) -> SpooledLog:
        if attempt not in self.logs:
            self.logs[attempt] = SpooledLog(self._folder, attempt)
        return self.logs[attempt]

    def add(self, message: wire.FromAgent) -> None:
        """Keeps a message until the server has acknowledged it."""
        if isinstance(message, wire.LogChunk):
            if message.data:
                self._lane(message.attempt).add(message)
            return
        lane = self.logs.get(getattr(message, "attempt", ""))
        self.messages.add(message, lane.size if lane else 0)

    def forget(self, acknowledged: wire.Ack | wire.LogTaken) -> None:
        """Drops what the server has taken in."""
        if isinstance(acknowledged, wire.Ack):
            self.messages.forget(acknowledged.seq)
        elif lane := self.logs.get(acknowledged.attempt):
            lane.forget(acknowledged.size)
            lane.write()
            self._drop_done()

    def _drop_done(self) -> None:
        self.logs = {attempt: lane for attempt, lane in self.logs.items() if not lane.is_taken_in}

    def untold_ends(self) -> list[str]:
        """The attempts whose end the server has not acknowledged."""
        return [message.attempt for message in self.messages if message.is_end]

    @property
    def is_empty(self) -> bool:
        """Whether the server has heard all."""
        return not len(self.messages) and all(lane.is_taken_in for lane in self.logs.values())

    def close(self) -> None:
        """Lets go of the folder."""
        self.messages.close()

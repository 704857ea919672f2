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
    """All unacknowledged messages and logs. One process at a time can open the folder ``home``."""

    def __init__(self, home: Path) -> None:
        self.messages = Messages(home / "spool.sqlite3")
        self.logs: dict[str, SpooledLog] = {}
        self._folder = home / "logs"
        with contextlib.suppress(OSError):  # without the folder, logs stay in memory and a warning says so
            self._folder.mkdir(exist_ok=True, mode=0o700)
        self._load_logs()
        for body in self.messages.legacy():
            with contextlib.suppress(BadMessage):
                self.add(wire.from_agent(body))
        self.messages.remove_legacy()  # not sooner: a kill in between repeats messages, and loses none

    def _load_logs(self) -> None:
        for file in sorted(self._folder.glob("*.*")):
            name, _, number = file.name.rpartition(".")
            try:
                self._lane(unquote(name)).load(file, int(number))
            except (OSError, ValueError) as error:
                log.warning("Skipped the spool file %s: %s.", file, error)
        self._drop_done()

    def _lane(self, attempt: str) -> SpooledLog:
        if attempt not in self.logs:
            self.logs[attempt] = SpooledLog(self._folder, attempt)
        return self.logs[attempt]

    def add(self, message: wire.FromAgent) -> None:
        """Keeps a message until the server acknowledges it."""
        if isinstance(message, wire.LogChunk):
            if message.data:
                self._lane(message.attempt).add(message)
            return
        lane = self.logs.get(getattr(message, "attempt", ""))
        self.messages.add(message, lane.size if lane else 0)

    def forget(self, acknowledged: wire.Ack | wire.LogAck) -> None:
        """Drops what the server acknowledged."""
        if isinstance(acknowledged, wire.Ack):
            self.messages.forget(acknowledged.seq)
        elif lane := self.logs.get(acknowledged.attempt):
            lane.forget(acknowledged.size)
            lane.write()
            self._drop_done()

    def _drop_done(self) -> None:
        self.logs = {attempt: lane for attempt, lane in self.logs.items() if not lane.is_acknowledged}

    def unsent_ends(self) -> list[str]:
        """The attempts whose end the server has not acknowledged."""
        return [message.attempt for message in self.messages if message.is_end]

    @property
    def is_empty(self) -> bool:
        """Whether the server has acknowledged everything."""
        return not len(self.messages) and all(lane.is_acknowledged for lane in self.logs.values())

    def close(self) -> None:
        """Closes the files."""
        self.messages.close()

"""The order in which the spool goes over one connection, and the limits on what is in flight."""

from __future__ import annotations

from .. import wire
from .messages import QueuedMessage
from .spool import Spool

MESSAGES_IN_FLIGHT = 24
LOG_IN_FLIGHT = 2 * 1024 * 1024
"""The maximum of unacknowledged messages, and of unacknowledged log bytes. It limits the memory that the server needs
per agent."""


class Sending:
    """Picks frames for one connection. Messages go before logs; the logs of several attempts take turns."""

    def __init__(self, spool: Spool) -> None:
        self._spool = spool
        self._sent: set[int] = set()
        self._turns: list[str] = []
        for lane in spool.logs.values():
            lane.rewind()

    def next(self) -> str | bytes | None:
        """The next frame: text for a message, bytes for log records; None if nothing can be sent now."""
        # A log that cannot be read is dropped, and the messages that waited for it can go.
        return self._next_text() or self._next_log() or self._next_text()

    def _next_text(self) -> str | None:
        message = self._next_message()
        if message is None:
            return None
        self._sent.add(message.seq)
        return message.body.decode()

    def _next_log(self) -> bytes | None:
        if sum(lane.in_flight for lane in self._spool.logs.values()) >= LOG_IN_FLIGHT:
            return None
        for attempt in self._in_turn():
            if records := self._spool.logs[attempt].next_records():
                return wire.log_frame(attempt, records)
        return None

    def _next_message(self) -> QueuedMessage | None:
        messages = self._spool.messages
        self._sent = {seq for seq in self._sent if seq in messages}
        if len(self._sent) >= MESSAGES_IN_FLIGHT:
            return None
        return next((one for one in messages if one.seq not in self._sent and self._has_its_log(one)), None)

    def _has_its_log(self, message: QueuedMessage) -> bool:
        lane = self._spool.logs.get(message.attempt)
        return lane is None or lane.sent_size >= min(message.log_size, lane.size)  # the size shrinks if a part is lost

    def _in_turn(self) -> list[str]:
        """The attempts that have logs, the one that waited longest first."""
        logs = self._spool.logs
        waiting = [attempt for attempt in self._turns if attempt in logs]
        order = [*waiting, *(attempt for attempt in logs if attempt not in waiting)]
        self._turns = [*order[1:], *order[:1]]
        return order

"""The agents that are connected now. The dictionary belongs to the server's loop; ``send`` may be called anywhere."""

from __future__ import annotations

import asyncio
import math
import time
from dataclasses import dataclass, field

from django.conf import settings
from django.db import transaction

from paddock_agent import wire
from paddock_core.link_state import heartbeat_for

from . import event_loop
from .rate_limit import Pace
from .state import part

MAX_QUEUE_LENGTH = 2000
"""Messages waiting for one agent. One that takes none for so long is not worth keeping."""


@dataclass(eq=False)
class Connection:
    """One agent's socket: what is put into ``outgoing`` goes out in order; None closes it."""

    host_id: int
    outgoing: asyncio.Queue[wire.FromServer | None] = field(default_factory=lambda: asyncio.Queue(MAX_QUEUE_LENGTH))
    has_left: bool = False
    shuts_down: bool = False
    grace: float = math.inf
    lease: float = math.inf
    pace: Pace = field(default_factory=lambda: Pace(settings.HEARTBEAT_SECONDS))
    heard: float = field(default_factory=time.monotonic)
    """When the last message came, by the monotonic clock."""
    run: str = ""
    boot: str = ""
    protocol: int = 0
    early: list[wire.FromServer] | None = None
    """What is to be sent before the welcome is; None once it is, for the agent hears that first."""

    def welcome(self, message: wire.Welcome) -> None:
        """Queues the welcome, and what was held back for it."""
        early, self.early = self.early or [], None
        for one in (message, *early):
            self.put(one)

    def is_quiet(self) -> bool:
        """Whether nothing was heard for longer than two heartbeats."""
        return time.monotonic() - self.heard > 2 * self.pace.every

    def put(self, message: wire.FromServer | None) -> None:
        """Queues a message; a connection that does not keep up is dropped."""
        if self.early is not None and message is not None:
            self.early.append(message)
            return
        try:
            self.outgoing.put_nowait(message)
        except asyncio.QueueFull:
            self.outgoing = asyncio.Queue()
            self.outgoing.put_nowait(None)


class _Connections(dict[int, Connection]):
    """The connections by their hosts' numbers."""


def _connections() -> _Connections:
    return part(_Connections)


def enter(connection: Connection) -> None:
    """Makes this the host's connection; an older one is closed, for a host has one agent."""
    if older := _connections().get(connection.host_id):
        older.put(None)
    _connections()[connection.host_id] = connection


def leave(connection: Connection) -> bool:
    """Takes the connection out; True if it was the host's present one."""
    if _connections().get(connection.host_id) is connection:
        del _connections()[connection.host_id]
        return True
    return False


def of(host_id: int) -> Connection | None:
    """The host's connection, if it has one."""
    return _connections().get(host_id)


def is_connected(host_id: int) -> bool:
    """Whether the host's agent is connected to this process."""
    return host_id in _connections()


def close_all() -> None:
    """Closes every connection: the agents come back and hear of the present time line. Called in the server's loop."""
    for connection in _connections().values():
        connection.put(None)


def set_grace(host_id: int, grace: float) -> None:
    """The paddock's grace has changed: the agent gets its new heartbeat interval, once the transaction is
    through. Silence counts from where the agent must have heard of it."""
    every = heartbeat_for(grace, settings.HEARTBEAT_SECONDS)

    def do() -> None:
        if connection := _connections().get(host_id):
            connection.grace, connection.pace = grace, Pace(every)
            connection.heard = time.monotonic() + settings.HEARTBEAT_SECONDS
            connection.put(wire.HeartbeatEvery(seconds=every))

    transaction.on_commit(lambda: event_loop.post(do))


def silent(now: float) -> list[Connection]:
    """The connections that have been silent past their grace; ``now`` is by the monotonic clock."""
    return [one for one in _connections().values() if now - one.heard > one.grace]


def heard_since(moment: float) -> list[Connection]:
    """The connections that were heard after ``moment``, by the monotonic clock, and have been welcomed."""
    return [one for one in _connections().values() if one.heard > moment and one.early is None]


def number() -> int:
    """How many agents are connected."""
    return len(_connections())


def delays(now: float) -> list[float]:
    """Seconds since each connected agent was heard."""
    return [now - one.heard for one in _connections().values()]


def send(host_id: int, message: wire.FromServer) -> None:
    """Sends a message to the host's agent once the transaction is through; nothing happens if it is not connected."""
    transaction.on_commit(lambda: event_loop.post(_put, host_id, message))


def send_since(protocol: int, host_id: int, message: wire.FromServer) -> None:
    """The same for agents that speak at least this version of the protocol."""
    transaction.on_commit(lambda: event_loop.post(_put_since, protocol, host_id, message))


def _put_since(protocol: int, host_id: int, message: wire.FromServer) -> None:
    if speaks(host_id, protocol):
        _put(host_id, message)


def put_now(host_id: int, message: wire.FromServer) -> None:
    """Sends a message at once. Called in the server's loop."""
    _put(host_id, message)


def speaks(host_id: int, protocol: int) -> bool:
    """Whether the host's agent is connected, and speaks at least this version of the protocol."""
    connection = _connections().get(host_id)
    return connection is not None and connection.protocol >= protocol


def dismiss(host_id: int, why: str) -> None:
    """Tells the host's agent that its key is dead, and closes its connection."""
    send(host_id, wire.Dismiss(why=why))
    transaction.on_commit(lambda: event_loop.post(_put, host_id, None))


def _put(host_id: int, message: wire.FromServer | None) -> None:
    connection = _connections().get(host_id)
    if connection is not None:
        connection.put(message)

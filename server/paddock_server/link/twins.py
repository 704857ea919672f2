"""Two agents of one machine with one key: the one that is connected stays, the other is refused.

An agent that was killed and is started again is another run too, but the old one's socket is gone then, or soon is. So
the first refusal is nothing to tell; who comes again while the other one lives is a twin.
"""

from __future__ import annotations

from dataclasses import dataclass

from paddock_agent import wire

from . import connections
from .connections import Connection

MOST_KNOWN = 1000


@dataclass(frozen=True)
class Twin:
    """An agent that was refused."""

    has_come_before: bool


_refused: dict[int, str] = {}


def refused(connection: Connection, hello: wire.Hello) -> Twin | None:
    """Whether another run of the agent is connected and at work. None for the same run, which comes back after a cut,
    and after the machine was started anew, when the old socket only has not noticed."""
    connection.run, connection.boot = hello.run, hello.facts.boot
    other = connections.of(connection.host_id)
    if other is None or not hello.run or not other.run or other.run == hello.run or other.boot != hello.facts.boot:
        return None
    if other.is_quiet():
        return None
    has_come_before = _refused.get(connection.host_id) == hello.run
    if len(_refused) >= MOST_KNOWN:
        _refused.clear()
    _refused[connection.host_id] = hello.run
    return Twin(has_come_before)

"""Two agents with one key: the one that is connected and answers stays, the other is refused.

An agent that reconnects after a cut, a kill or a reboot is not a duplicate: the old socket is
gone then, or does not answer. So before anybody is refused, the one that is connected is asked.
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field

from paddock_agent import wire
from paddock_core.suspicion import is_an_earlier_boot

from ..process import connections
from ..process.connections import Connection
from ..process.state import part

MAX_KNOWN = 5000
BOOTS_KEPT = 10
ANSWER_PATIENCE = 5.0
"""Seconds that an agent that is asked has for its answer."""
LOOK_INTERVAL = 0.05


@dataclass
class _Seen:
    """What was seen of the agents of one host: the last that was refused; boots and runs of those that came in."""

    refused: str = ""
    boots: list[str] = field(default_factory=list)
    runs: list[str] = field(default_factory=list)


class _SeenOf(dict[int, _Seen]):
    """The same by the numbers of the hosts."""


@dataclass(frozen=True)
class Twin:
    """An agent that was refused. ``is_news``: it needs a finding."""

    is_news: bool
    sentence: str
    is_another_machine: bool = False


async def refused(connection: Connection, hello: wire.Hello) -> Twin | None:
    """Why this agent may not come in, None where it may. Waits for the answer of one that is connected."""
    connection.run, connection.boot = hello.run, hello.facts.boot
    other = connections.of(connection.host_id)
    if other is None or not hello.run or not other.run or other.run == hello.run:
        return None
    is_another_boot = other.boot != hello.facts.boot
    if other.is_quiet() or (is_another_boot and not await _answers(other)):
        return None
    seen = _of(connection.host_id)
    # Of one machine the first refusal is nothing: an agent that was killed has a socket that only looks alive.
    is_news = is_another_boot or seen.refused == hello.run
    seen.refused = hello.run
    where = "from another start of a machine: a copied disk" if is_another_boot else "on the same machine"
    return Twin(is_news, where, is_another_boot)


def comes_in_turns(host_id: int, boot: str, run: str) -> bool:
    """Notes the boot and the run of an agent that comes in; whether one of them is an earlier one. A process that comes
    back after another has been in was there all the time: two agents take turns, even where their disks were copied so
    exactly that machine and boot are the same."""
    seen = _of(host_id)
    in_turns = is_an_earlier_boot(seen.boots, boot) or run in seen.runs[:-1]
    for known, new in ((seen.boots, boot), (seen.runs, run)):
        if new and known[-1:] != [new]:
            known.append(new)
            del known[:-BOOTS_KEPT]
    return in_turns


async def _answers(other: Connection) -> bool:
    """Whether the agent that is connected says something within its patience once it is asked."""
    asked_at = time.monotonic()
    other.put(wire.StillThere())
    while time.monotonic() - asked_at < min(ANSWER_PATIENCE, other.grace):
        if other.heard > asked_at:
            return True
        if connections.of(other.host_id) is not other:
            return False
        await asyncio.sleep(LOOK_INTERVAL)
    return False


def _of(host_id: int) -> _Seen:
    seen = part(_SeenOf)
    if host_id not in seen and len(seen) >= MAX_KNOWN:
        seen.clear()
    return seen.setdefault(host_id, _Seen())

"""The watch: reports how the agent's service is, when the agent itself cannot. Run once a minute and at boot, for a
moment; it has a key of its own, with which it can report and nothing else.

Where the paddock allows it, the watch starts a service that should run: a few times an hour, never one that was stopped
with the agent's own command, and it says that it did.
"""

from __future__ import annotations

import asyncio
import urllib.error
from typing import TypeVar

import msgspec

from . import wire
from .calling import post, problem_of
from .errors import AgentError, BadMessage, Dismissed, NotJoined, Unreachable
from .services import ServiceState, manager_of
from .system import System
from .system.paths import paths_of

T = TypeVar("T", bound=msgspec.Struct)

NOTE, STOPPED, STARTS = "watch.json", "stopped", "starts.json"
"""Its files: whom it reports to; a mark that the service was stopped on purpose; when the watch started it."""
MOST_STARTS, WITHIN = 3, 3600.0
"""So many starts within so many seconds: what does not stay up then needs a person."""


class Note(msgspec.Struct, frozen=True):
    """What the watch of one agent goes by."""

    server: str
    key: str
    host: str
    service: str


def ask_watch_key(server: str, key: str) -> wire.WatchKey:
    """A fresh key for the watch of the agent that has ``key``. Raises Dismissed or Unreachable."""
    return _asked(wire.WatchKey, f"{server}/agent/v1/watch-key", b"{}", key)


async def report(system: System, folder: str) -> str:
    """Looks and reports once, and starts the service if it may; says what was told, in a sentence.

    Raises NotJoined where there is no watch, Dismissed where the server does not know its key, Unreachable.
    """
    note = _note(system, folder)
    told = await _look(system, folder, note)
    answer = await _tell(note, told)
    if not (answer.start and (answer.asked or may_start(told))):
        return _said(told)
    starts = [*_recent_starts(system, folder), system.clock()]
    system.write_text(paths_of(system).join(folder, STARTS), msgspec.json.encode(starts).decode(), 0o600)
    await manager_of(system).start(note.service)
    after = msgspec.structs.replace(await _look(system, folder, note), started=True)
    await _tell(note, after)
    return f"It did not run, so it was started. {_said(after)}"


def may_start(told: wire.WatchReport) -> bool:
    """Whether starting it could help, and was not ruled out on this machine."""
    state = told.state
    helps = state.running in ("stopped", "failed") and state.start_type != "disabled"
    return helps and not told.on_purpose and told.starts_left > 0


async def _look(system: System, folder: str, note: Note) -> wire.WatchReport:
    manager = manager_of(system)
    why_absent = await manager.why_absent()
    try:
        state = await manager.state(note.service)
    except AgentError as error:
        why_absent = why_absent or str(error)
        state = ServiceState(note.service, system.family, "missing")
    return wire.WatchReport(
        host=note.host,
        at=system.clock(),
        state=state,
        boot=system.boot()[:200],
        uptime=system.vitals().uptime or 0.0,
        on_purpose=system.read_text(paths_of(system).join(folder, STOPPED)) is not None,
        starts_left=max(0, MOST_STARTS - len(_recent_starts(system, folder))),
        why_absent=why_absent[:500],
    )


def _recent_starts(system: System, folder: str) -> list[float]:
    try:
        starts = msgspec.json.decode(system.read_text(paths_of(system).join(folder, STARTS)) or "[]", type=list[float])
    except msgspec.DecodeError:
        return []
    return [at for at in starts if system.clock() - WITHIN < at <= system.clock()]


def _note(system: System, folder: str) -> Note:
    text = system.read_text(paths_of(system).join(folder, NOTE))
    if text is None:
        raise NotJoined(
            f"There is no watch in {folder}, or this account may not read it. As an administrator: "
            "paddock-agent watch install"
        )
    try:
        return msgspec.json.decode(text, type=Note)
    except msgspec.DecodeError as error:
        raise NotJoined(f"The file of the watch in {folder} cannot be read: {error}") from None


async def _tell(note: Note, told: wire.WatchReport) -> wire.WatchAnswer:
    where = f"{note.server}/agent/v1/watch"
    return await asyncio.to_thread(_asked, wire.WatchAnswer, where, wire.encode(told), note.key)


def _asked(kind: type[T], address: str, body: bytes, key: str) -> T:
    try:
        return wire.read_as(kind, post(address, body, {"Authorization": f"Bearer {key}"}))
    except urllib.error.HTTPError as error:
        if error.code == 401:
            raise Dismissed(problem_of(error)) from None
        raise Unreachable(f"The server did not take it: {problem_of(error)}") from None
    except BadMessage as error:
        raise Unreachable(f"What answers at {address} is no Yellow Paddock server: {error}") from None


def _said(told: wire.WatchReport) -> str:
    if told.why_absent:
        return f"Told: {told.why_absent}."
    return f"Told: {wire.diagnose(told.state).sentence}"

"""The watch: reports how the agent's service is, when the agent itself cannot. Run once a minute and at boot, for a
moment; it has a key of its own, with which it can report and nothing else. It needs nothing of the agent's packages.

Where the service does not run, or the server does not hear the agent, it examines the host, and sends what it found.
Where the paddock allows it, the watch starts a service that should run: a few times an hour, never one that was stopped
with the agent's own command, and it says that it did.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import urllib.error
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from . import power
from .doctor.evidence import Evidence, as_plain
from .doctor.note import FILE as NOTE
from .doctor.note import Note, read_note
from .errors import AgentError, CommandFailed, Dismissed, Unreachable
from .http_client import ip_of, post_any_way, problem_of
from .services import ServiceState, diagnose, manager_of
from .system import System
from .system.paths import paths_of
from .upgrade import for_watch

STOPPED, STARTS, KNOWN_ADDRESS = "stopped", "starts.json", "known-address"
"""Its files: a mark that the service was stopped on purpose; when the watch started it; where the server was found."""
MAX_STARTS, START_WINDOW_SECONDS = 3, 3600.0
"""So many starts within so many seconds: what does not stay up then needs a person."""
MAX_SENTENCE_LENGTH = 500


@dataclass(frozen=True)
class Report:
    """One report, in the words of wire.WatchReport."""

    host: str
    at: float
    state: ServiceState
    boot: str
    uptime: float
    on_purpose: bool
    starts_left: int
    why_absent: str
    upgrades: bool = False
    power_refused: str = ""
    started: bool = False
    evidence: Evidence | None = None

    def as_json(self) -> bytes:
        """The report as it is sent."""
        plain = asdict(replace(self, evidence=None))
        plain["evidence"] = as_plain(self.evidence) if self.evidence else None
        return json.dumps(plain).encode()


def ask_watch_key(server: str, key: str) -> tuple[str, int, str]:
    """A fresh key for the watch of the agent that has ``key``, the seconds between its reports, and the public key with
    which the server signs. Raises Dismissed or Unreachable."""
    address = f"{server}/agent/v1/watch-key"
    answer, _ = _asked(address, b"{}", key)
    try:
        return str(answer["key"]), int(answer["every"]), str(answer.get("signer", ""))
    except (KeyError, TypeError, ValueError):
        raise Unreachable(f"{address} is not a Yellow Paddock server.") from None


async def report(system: System, folder: str) -> str:
    """Looks and reports once, and starts the service if it may; returns what was reported, in a sentence.

    Raises NotJoined if no watch is installed, Dismissed if the server does not know its key, Unreachable.
    """
    note = read_note(system.read_text(paths_of(system).join(folder, NOTE)), folder)
    with contextlib.suppress(CommandFailed):
        await for_watch.go_on(system, note, folder)
    found = await _look(system, folder, note)
    if found.state.running != "running" or found.state.unit_trouble:
        found = replace(found, evidence=await system.examine(note, folder))
    answer = await _tell(system, folder, note, found)
    if answer.get("examine") and found.evidence is None:
        found = replace(found, evidence=await system.examine(note, folder))
        again = await _tell(system, folder, note, found)
        answer = {**again, "start": answer.get("start"), "asked": answer.get("asked")}
    if order := int(answer.get("upgrade") or 0):
        await for_watch.begin(system, note, folder, order)
    if text := str(answer.get("power_down") or ""):
        try:
            await power.begin(system, note, folder, text, str(answer.get("signature") or ""))
        except AgentError as error:
            with contextlib.suppress(Unreachable):
                await _tell(system, folder, note, replace(found, power_refused=str(error)[:MAX_SENTENCE_LENGTH]))
            return f"{error} {_sentence(found)}"
        return "The server ordered this host to power down, and it does."
    if not (answer.get("start") and (answer.get("asked") or may_start(found))):
        return _sentence(found)
    starts = [*_recent_starts(system, folder), system.clock()]
    system.write_text(paths_of(system).join(folder, STARTS), json.dumps(starts), 0o600)
    await manager_of(system).start(note.service)
    after = replace(await _look(system, folder, note), started=True)
    await _tell(system, folder, note, after)
    return f"It did not run, so it was started. {_sentence(after)}"


def may_start(found: Report) -> bool:
    """Whether starting it could help, and was not ruled out on this machine."""
    state = found.state
    helps = state.running in ("stopped", "failed") and state.start_type != "disabled"
    return helps and not found.on_purpose and found.starts_left > 0


async def _look(system: System, folder: str, note: Note) -> Report:
    manager = manager_of(system)
    why_absent = await manager.why_absent()
    try:
        state = await manager.state(note.service)
    except AgentError as error:
        why_absent = why_absent or str(error)
        state = ServiceState(note.service, system.family, "missing")
    return Report(
        host=note.host,
        at=system.clock(),
        state=state,
        boot=system.boot()[:200],
        uptime=system.uptime(),
        on_purpose=system.read_text(paths_of(system).join(folder, STOPPED)) is not None,
        starts_left=max(0, MAX_STARTS - len(_recent_starts(system, folder))),
        why_absent=why_absent[:MAX_SENTENCE_LENGTH],
        upgrades=for_watch.can_upgrade(system, note),
    )


def _recent_starts(system: System, folder: str) -> list[float]:
    try:
        starts = json.loads(system.read_text(paths_of(system).join(folder, STARTS)) or "[]")
        known = [float(at) for at in starts]
    except (ValueError, TypeError):
        return []
    return [at for at in known if system.clock() - START_WINDOW_SECONDS < at <= system.clock()]


async def _tell(system: System, folder: str, note: Note, found: Report) -> Mapping[str, Any]:
    file = paths_of(system).join(folder, KNOWN_ADDRESS)
    known = (system.read_text(file) or "").strip()
    address = f"{note.server}/agent/v1/watch"
    answer, usual = await asyncio.to_thread(_asked, address, found.as_json(), note.key, known)
    now = await asyncio.to_thread(ip_of, note.server) if usual else ""
    if now and now != known:
        system.write_text(file, now, 0o600)
    return answer


def _asked(address: str, body: bytes, key: str, known_ip: str = "") -> tuple[Mapping[str, Any], bool]:
    """The answer, and whether it came by the usual way."""
    try:
        data, usual = post_any_way(address, body, {"Authorization": f"Bearer {key}"}, known_ip)
        answer = json.loads(data)
    except urllib.error.HTTPError as error:
        if error.code == 401:
            raise Dismissed(problem_of(error)) from None
        raise Unreachable(f"The server did not take it: {problem_of(error)}") from None
    except ValueError as error:
        raise Unreachable(f"{address} is not a Yellow Paddock server: {error}") from None
    if not isinstance(answer, dict):
        raise Unreachable(f"{address} is not a Yellow Paddock server.")
    return answer, usual


def _sentence(found: Report) -> str:
    if found.why_absent:
        return f"Reported: {found.why_absent}."
    return f"Reported: {diagnose(found.state).sentence}"

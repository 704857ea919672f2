"""Attempts at work: offers go into slots, run in a fresh folder, and everything about them goes into the spool."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import re
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from . import leftovers, wire
from .binding import bound_environment
from .catalogue import Tool
from .errors import CommandFailed
from .logs import BoundedLog
from .system import ScriptProcess, System

FOLDERS_KEPT = 10
"""Folders of ended attempts that stay, so that a person can look; older ones are removed."""
LEAST_DISK = 64 * 1024 * 1024
"""Bytes that must be free before a job is taken."""
STOP_PATIENCE = 10.0
"""Seconds between asking a script to end and insisting."""
PIPE_PATIENCE = 2.0
"""Seconds that what a script left behind may still print after it has ended."""

log = logging.getLogger("paddock.agent")

_SAFE = re.compile(r"[A-Za-z0-9][A-Za-z0-9-]{0,63}")


@dataclass
class _Running:
    """One attempt in a slot. ``stopped_as`` is the outcome once somebody asked it to end."""

    offer: wire.Offer
    task: asyncio.Task[None] | None = None
    process: ScriptProcess | None = None
    stopped_as: str = ""
    stopping: set[asyncio.Task[None]] = field(default_factory=set)


class Attempts:
    """The slots of this host. ``tell`` puts a message into the spool; ``definition`` is what the catalogue says of a
    tool."""

    def __init__(
        self,
        system: System,
        work_folder: str,
        notes: Path,
        tell: Callable[[wire.FromAgent], None],
        definition: Callable[[str], Tool | None],
    ) -> None:
        self._system = system
        self._definition = definition
        self._work_folder = work_folder
        self._notes = notes
        self._tell = tell
        self._running: dict[str, _Running] = {}
        self._ended_folders: deque[str] = deque()
        self.slots = 1
        self._when_idle: Callable[[], None] | None = None

    def known(self) -> list[str]:
        """The attempts that run here."""
        return list(self._running)

    def when_idle(self, do: Callable[[], None]) -> None:
        """Takes nothing new, and calls ``do`` once nothing runs."""
        self._when_idle = do
        self._call_if_idle()

    def _call_if_idle(self) -> None:
        if self._when_idle and not self._running:
            self._when_idle()

    def take(self, offer: wire.Offer) -> None:
        """Starts an offered attempt, or refuses it with the reason. An offer told twice is taken once."""
        if offer.attempt in self._running:
            return
        if why := self._why_not(offer):
            self._tell(wire.AttemptRefused(attempt=offer.attempt, why=why))
            return
        running = _Running(offer)
        self._running[offer.attempt] = running
        running.task = asyncio.create_task(self._run(running), name=f"attempt {offer.attempt}")

    def stop(self, attempt: str, outcome: str) -> None:
        """Ends an attempt that runs; one that does not is no error."""
        running = self._running.get(attempt)
        if running and not running.stopped_as:
            running.stopped_as = outcome
            if running.process:
                task = asyncio.create_task(running.process.stop(STOP_PATIENCE))
                running.stopping.add(task)
                task.add_done_callback(running.stopping.discard)

    async def stop_all(self) -> None:
        """Ends every attempt because the agent stops."""
        tasks = [running.task for running in self._running.values() if running.task]
        for attempt in self.known():
            self.stop(attempt, "agent stopped")
        if tasks:
            await asyncio.wait(tasks)

    def _why_not(self, offer: wire.Offer) -> str:
        if not _SAFE.fullmatch(offer.attempt):
            return "the attempt's name is not one that this agent makes a folder for"
        taken = sum(running.offer.slots for running in self._running.values())
        if taken + offer.slots > self.slots:
            return f"{taken} of {self.slots} slots are taken, and it asks for {offer.slots}"
        if self._when_idle:
            return "the agent is about to start afresh"
        if self._system.disk(self._work_folder).free < LEAST_DISK:
            return f"the disk of the work folder {self._work_folder} is full"
        return ""

    async def _run(self, running: _Running) -> None:
        """Runs one attempt to its end. Whatever goes wrong, its end is told and its slot is free again."""
        try:
            await self._attempt(running)
        except (CommandFailed, OSError, ValueError) as error:
            self._end(running, "not started", None, f"The script could not be started: {error}")
        except Exception as error:
            log.exception("Attempt %s failed in the agent.", running.offer.attempt)
            self._end(running, "not started", None, f"The agent itself failed: {error!r}")

    async def _attempt(self, running: _Running) -> None:
        offer = running.offer
        folder = self._system.fresh_folder(self._work_folder, offer.attempt)
        shell = offer.shell or self._system.default_shell()
        process = await self._system.start_script(offer.script, shell, folder, self._variables(offer, folder))
        running.process = process
        leftovers.note(self._notes, offer.attempt, process.pid)
        self._tell(
            wire.AttemptStarted(attempt=offer.attempt, account=self._system.account()[:200], folder=folder[:2000])
        )
        if running.stopped_as:
            await process.stop(STOP_PATIENCE)
        code = await self._follow(running, process)
        why = f"It passed its time limit of {offer.time_limit} s." if running.stopped_as == "timed out" else ""
        self._end(running, running.stopped_as or "exited", None if running.stopped_as else code, why)
        self._tidy(folder)

    async def _follow(self, running: _Running, process: ScriptProcess) -> int:
        """Tells the log until the script ends, watches the time limit, and returns the exit code."""
        reading = asyncio.create_task(self._tell_log(running.offer.attempt, process))
        limit = running.offer.time_limit or None
        try:
            async with asyncio.timeout(limit):
                code = await process.wait()
        except TimeoutError:
            running.stopped_as = running.stopped_as or "timed out"
            await process.stop(STOP_PATIENCE)
            code = await process.wait()
        # What the script left in the background may hold the pipe open: it gets a moment, then ends with the attempt.
        await asyncio.wait([reading], timeout=PIPE_PATIENCE)
        await process.stop(0)
        await asyncio.wait([reading], timeout=PIPE_PATIENCE)
        process.close()
        await reading
        return code

    async def _tell_log(self, attempt: str, process: ScriptProcess) -> None:
        log = BoundedLog()
        while data := await process.read():
            for offset, chunk in log.write(data):
                self._tell(wire.LogChunk(attempt=attempt, offset=offset, data=chunk))
            # A script that floods its log must not keep the agent from its heartbeats.
            await asyncio.sleep(0)
        for offset, chunk in log.end():
            self._tell(wire.LogChunk(attempt=attempt, offset=offset, data=chunk))

    def _end(self, running: _Running, outcome: str, code: int | None, why: str) -> None:
        attempt = running.offer.attempt
        self._tell(wire.AttemptEnded(attempt=attempt, outcome=outcome, exit_code=code, why=why[:2000]))
        leftovers.strike(self._notes, attempt)
        del self._running[attempt]
        self._call_if_idle()

    def _tidy(self, folder: str) -> None:
        self._ended_folders.append(folder)
        while len(self._ended_folders) > FOLDERS_KEPT:
            with contextlib.suppress(OSError):
                self._system.remove_folder(self._ended_folders.popleft())

    def _variables(self, offer: wire.Offer, folder: str) -> dict[str, str]:
        """The script's environment: what the job is, and the tools that its terms are bound to."""
        return {
            **offer.variables,
            **bound_environment(self._system, offer.tools, self._definition),
            "PADDOCK_JOB": str(offer.job),
            "PADDOCK_JOB_NAME": offer.name,
            "PADDOCK_PIPELINE": offer.pipeline,
            "PADDOCK_ATTEMPT": offer.attempt,
            "PADDOCK_FOLDER": folder,
        }

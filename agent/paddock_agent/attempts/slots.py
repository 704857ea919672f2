"""The slots of a host: which offers go in, and what becomes of them when the agent stops."""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Callable, Coroutine, Sequence
from pathlib import Path
from typing import Any

from .. import wire
from ..catalogue import Tool
from ..replacing import is_being_replaced
from ..system import System
from . import leftovers
from .attempt import Attempt, Place
from .folders import WorkFolders
from .outbox import Outbox

TIDY_INTERVAL_SECONDS = 3600.0
REPORT_INTERVAL_SECONDS = 3.0
"""Seconds between two reports of the work folders, at least."""

_SAFE = re.compile(r"[0-9]{1,18}-[0-9]{1,9}(-[0-9a-f]{32})?")


class Attempts:
    """The slots of this host. ``tell`` puts a message into the spool; ``begin`` tells that an attempt starts, and
    returns once the server has it for running; ``definition`` is what the catalogue says of a tool; ``try_work`` tries
    whether this host can work; ``home`` is the agent's own folder, where its notes are."""

    def __init__(
        self,
        system: System,
        work_folder: str,
        home: Path,
        tell: Callable[[wire.FromAgent], None],
        begin: Callable[[wire.AttemptStarted], Coroutine[Any, Any, None]],
        definition: Callable[[str], Tool | None],
        try_work: Callable[[], Coroutine[Any, Any, Sequence[wire.FailedPart]]],
    ) -> None:
        self._system = system
        self._work_folder = work_folder
        self._tell = tell
        self._home = home
        self.folders = WorkFolders(system, work_folder, home / "folders.json")
        self.outbox = Outbox(system, home / "outputs")
        self._place = Place(system, self.folders, self.outbox, home / "running", tell, begin, definition, try_work)
        self._running: dict[str, tuple[Attempt, asyncio.Task[None]]] = {}
        self.slots = 1
        self._when_idle: Callable[[], None] | None = None
        self._folders_stir = asyncio.Event()
        self._measure: set[str] = set()
        self._clear: list[Sequence[str]] = []

    def end_leftovers(self) -> list[str]:
        """Ends what an earlier agent left running; the attempts that it was of."""
        return leftovers.end_all(self._system, self._place.notes)

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

    def accept(self, offer: wire.Offer) -> None:
        """Starts an offered attempt, or refuses it with the reason. A repeated offer is accepted once."""
        if offer.attempt in self._running:
            return
        if why := self._why_not(offer):
            self._tell(wire.AttemptRefused(attempt=offer.attempt, why=why))
            return
        attempt = Attempt(self._place, offer)
        task = asyncio.create_task(self._run(attempt), name=f"attempt {offer.attempt}")
        self._running[offer.attempt] = attempt, task
        self._folders_stir.set()

    def stop(self, attempt: str, outcome: str, *, at_once: bool = False) -> None:
        """Ends an attempt that runs, ``at_once`` without cleaning up; does nothing for one that does not run."""
        if running := self._running.get(attempt):
            running[0].stop(outcome, at_once=at_once)

    def abandon_all(self, note: Callable[[str], None]) -> None:
        """Stops what runs, and forgets the files that were to be sent: the server that they are for was set back.
        ``note`` is called with each attempt."""
        for attempt in self.known():
            note(attempt)
            self.stop(attempt, "cancelled", at_once=True)
        for attempt in self.outbox.forget_all():
            note(attempt)

    async def stop_all(self) -> None:
        """Ends every attempt because the agent stops."""
        tasks = [task for _, task in self._running.values()]
        for attempt in self.known():
            self.stop(attempt, "agent stopped", at_once=True)
        if tasks:
            await asyncio.wait(tasks)

    async def drop(self) -> None:
        """Lets go of what still runs, without a word: the agent ends as if it was killed."""
        tasks = [task for _, task in self._running.values()]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    def clear_folders(self, paths: Sequence[str]) -> None:
        """Removes work folders, soon; all where none is named."""
        self._clear.append(paths)
        self._folders_stir.set()

    async def folder_loop(self) -> None:
        """Measures, tidies and tells of the work folders: when an attempt has ended, when a person asks, and now and
        then."""
        sent: object = None
        while True:
            measured, self._measure = self._measure, set()
            cleared, self._clear = self._clear, []
            for path in measured:
                await asyncio.to_thread(self.folders.measure, path)
            for paths in cleared:
                await asyncio.to_thread(self.folders.clear, paths)
            await asyncio.to_thread(self.folders.tidy)
            states = self.folders.states()[: wire.MAX_FOLDERS]
            if states != sent or cleared:
                removed, self.folders.removed = self.folders.removed, []
                self._tell(wire.WorkFolders(folders=states, removed=[one[:2000] for one in removed[:500]]))
                sent = states
                await asyncio.sleep(REPORT_INTERVAL_SECONDS)
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(TIDY_INTERVAL_SECONDS):
                    await self._folders_stir.wait()
            self._folders_stir.clear()

    def _why_not(self, offer: wire.Offer) -> str:
        if not _SAFE.fullmatch(offer.attempt):
            return "the attempt's name is not one that this agent makes a folder for"
        taken = sum(attempt.offer.slots for attempt, _ in self._running.values())
        if offer.slots and taken + offer.slots > self.slots:
            return f"{taken} of {self.slots} slots are taken, and it asks for {offer.slots}"
        if self._when_idle:
            return "the agent is about to restart"
        if is_being_replaced(self._home):
            return "the agent is being installed again"
        return ""

    async def _run(self, attempt: Attempt) -> None:
        name = attempt.offer.attempt
        try:
            await attempt.run()
        finally:
            leftovers.strike(self._place.notes, name)
            del self._running[name]
            if path := next((one.path for one in self.folders.states() if one.attempt == name), ""):
                self._measure.add(path)
            self._folders_stir.set()
            self._call_if_idle()

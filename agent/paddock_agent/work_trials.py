"""When the agent tries whether it can work: before it connects, with each survey, before each attempt, when the work
folder looks different, and every few minutes while nothing runs."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable
from pathlib import Path

from .errors import AgentError
from .limits import folder_trouble
from .system import System, trials
from .wire import FailedPart

log = logging.getLogger("paddock.agent")

IDLE_INTERVAL = 180.0
FAILING_INTERVAL = 15.0
"""Seconds between trials while some part fails: readiness comes back soon after the cause is gone."""
MAX_PARTS = 20


class WorkTrials:
    """Whether this host can work. ``cannot`` are the parts that failed at the last trial. ``notes`` is the folder of
    notes on what runs, without which the next agent could not end what a killed one left."""

    def __init__(
        self, system: System, work_folder: str, server: str, is_idle: Callable[[], bool], notes: Path | None = None
    ) -> None:
        self._system = system
        self._notes = notes
        self._work_folder = work_folder
        self._server = server
        self._is_idle = is_idle
        self._wanted = asyncio.Event()
        self._changed = asyncio.Event()
        self._trying = asyncio.Lock()
        self._glance: object = None
        self._survey_shortage = ""
        self.cannot: list[FailedPart] = []

    def want(self) -> None:
        """Asks for a trial now."""
        self._wanted.set()

    def surveyed(self, shortage: str) -> None:
        """A survey has ended; ``shortage`` is why it could not look at everything. A trial follows."""
        self._survey_shortage = shortage
        self.want()

    def glance(self) -> None:
        """A cheap look at the work folder: where it is another than before, a trial follows."""
        seen = self._system.why_not_writable(self._work_folder)
        if seen != self._glance:
            if self._glance is not None:
                self.want()
            self._glance = seen

    async def try_now(self) -> list[FailedPart]:
        """Tries everything; returns and remembers what failed."""
        async with self._trying:
            self._wanted.clear()
            found = await self._tried()
            if found != self.cannot:
                for one in found:
                    log.warning("This host cannot work: %s: %s", one.part, one.why)
                if not found:
                    log.info("This host can work again.")
                self.cannot = found
                self._changed.set()
            return found

    async def before_attempt(self) -> list[FailedPart]:
        """The part of the trial that costs next to nothing; where that fails, all of it, so that the server knows."""
        return await self.try_now() if await self._tried(quick=True) else []

    async def _tried(self, quick: bool = False) -> list[FailedPart]:
        if why := folder_trouble(self._work_folder, self._system.family):
            return [FailedPart("work folder path", why, {"folder": self._work_folder})]
        try:
            failed = await self._system.try_work(self._work_folder, self._server, quick)
        except (AgentError, OSError, RuntimeError) as error:
            return [FailedPart("processes", f"The trial itself failed: {error}"[:500])]
        found = [FailedPart(one.part, one.why[:2000], dict(one.facts)) for one in failed[:MAX_PARTS]]
        if self._notes is not None and not quick:
            found += [
                FailedPart(one.part, one.why, dict(one.facts)) for one in await asyncio.to_thread(self._try_notes)
            ]
        if self._survey_shortage and not quick:
            found.append(FailedPart("survey", self._survey_shortage[:2000]))
        return found

    def _try_notes(self) -> list[trials.FailedTrial]:
        notes = self._notes
        assert notes is not None
        return trials.failed_of(
            [("folder of notes", lambda: trials.write_in(notes), lambda: trials.folder_facts(notes))]
        )

    async def trial_loop(self) -> None:
        """Tries again and again, for as long as the agent runs. While jobs run only on request: a busy host proves
        itself by its work."""
        while True:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(FAILING_INTERVAL if self.cannot else IDLE_INTERVAL):
                    await self._wanted.wait()
            if self._wanted.is_set() or self.cannot or self._is_idle():
                await self.try_now()

    async def change(self) -> list[FailedPart]:
        """Waits until another set of parts fails than at the last call, and returns it."""
        await self._changed.wait()
        self._changed.clear()
        return self.cannot

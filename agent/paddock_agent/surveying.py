"""When the agent surveys its host: at its start, once a day, on request, with a new catalogue, and when a folder in
which tools lie has changed."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable

import msgspec

from . import wire
from .environment import differences
from .errors import AgentError
from .facts import gather_facts
from .probes import Probes
from .survey import SurveyResult, gather_details, survey, watched_folders
from .system import System

log = logging.getLogger("paddock.agent")

EVERY = 24 * 3600.0
LOOK_EVERY = 20.0
"""Seconds between looks at the folders. A look is one call to the system for each of about a hundred."""
LARGEST_REPORT = wire.LARGEST_MESSAGE - 64 * 1024


class Surveying:
    """Keeps the server's knowledge of this host fresh. ``surveyed`` is called after each survey."""

    def __init__(
        self,
        system: System,
        probes: Probes,
        work_folder: str,
        tell: Callable[[wire.FromAgent], None],
        surveyed: Callable[[], None],
    ) -> None:
        self._system = system
        self._probes = probes
        self._work_folder = work_folder
        self._tell = tell
        self._surveyed = surveyed
        self._wanted = asyncio.Event()
        self._because = "start"
        self._marks: list[str] = []
        self.differs: list[wire.Difference] = []
        self._trials: set[asyncio.Task[None]] = set()
        self._found: tuple[list[wire.Installation], list[wire.Broken]] = ([], [])
        self._changed: set[str] = set()
        self._noisy: set[str] = set()

    def want(self, because: str, mark: str = "") -> None:
        """Asks for a survey soon; one that is asked for while another runs follows it, and has the ``mark``."""
        self._because = because
        if mark:
            self._marks = [*self._marks, mark][-wire.MOST_MARKS :]
        self._wanted.set()

    async def keep(self) -> None:
        """Surveys, for as long as the agent runs."""
        while True:
            because, self._because = self._because, "daily"
            marks, self._marks = self._marks, []
            self._wanted.clear()
            result = await survey(self._system, self._probes.tools)
            details = await gather_details(self._system, self._probes.tools)
            await self._report(result, details, because, marks)
            log.info("Surveyed (%s): %d installations in %.1f s.", because, len(result.installations), result.took)
            # A log-in may take long, so the survey does not wait for it.
            differs = differences(self._system, await self._system.fresh_environment(), self._probes.tools)
            if differs != self.differs:
                self.differs = differs
                await self._report(result, details, because, marks)
            self._learn_noise(because, result)
            self._surveyed()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(EVERY):
                    await self._wait()

    def _learn_noise(self, because: str, result: SurveyResult) -> None:
        """A folder whose change led to a survey that found nothing new is left out until the next survey of another
        kind: some tools write beside themselves whenever they are run."""
        found = (result.installations, result.broken)
        if because != "folders":
            self._noisy.clear()
        elif found == self._found:
            self._noisy |= self._changed
        self._found = found

    async def _wait(self) -> None:
        """Until a survey is asked for, or a folder is no longer as it was after the survey: probes and log-ins may
        write there themselves."""
        folders = await asyncio.to_thread(self._folders)
        while not self._wanted.is_set():
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(LOOK_EVERY):
                    await self._wanted.wait()
                    return
            now = await asyncio.to_thread(self._folders)
            # An installer is let finish: it changes folders for as long as it works.
            while now != folders:
                self._because = "folders"
                self._changed = {folder for folder in now if now[folder] != folders.get(folder)}
                folders = now
                await asyncio.sleep(LOOK_EVERY / 4)
                now = await asyncio.to_thread(self._folders)
                if now == folders:
                    return

    def _folders(self) -> dict[str, float | None]:
        folders = watched_folders(self._system, self._probes.tools)
        return {folder: self._system.changed_at(folder) for folder in folders if folder not in self._noisy}

    def try_probe(self, asked: wire.TryProbe) -> None:
        """Runs one definition and reports what it finds, beside all else."""
        task = asyncio.create_task(self._try(asked))
        self._trials.add(task)
        task.add_done_callback(self._trials.discard)

    async def _try(self, asked: wire.TryProbe) -> None:
        try:
            tool = self._probes.for_trial(asked.trial, asked.tool, asked.signature)
        except AgentError as error:
            self._tell(wire.Tried(trial=asked.trial, why=str(error)[:2000]))
            return
        if tool.places(self._system.family) is None:
            self._tell(wire.Tried(trial=asked.trial, why=f"it is not looked for on {self._system.family}"))
            return
        found = await survey(self._system, [tool], whole=60)
        self._tell(
            wire.Tried(trial=asked.trial, installations=found.installations, broken=found.broken, took=found.took)
        )

    async def _report(self, result: SurveyResult, details: wire.Details, because: str, marks: list[str]) -> None:
        facts = await gather_facts(self._system, self._work_folder, self.differs)
        report = wire.SurveyReport(
            facts=facts, installations=result.installations[: wire.MOST_FOUND], broken=result.broken[: wire.MOST_FOUND],
            took=result.took, details=details, looked_for=result.looked_for, because=because, marks=marks,
            catalogue=self._probes.number, refused=self._probes.refused,
        )  # fmt: skip
        self._tell(_fitting(report))


def _fitting(report: wire.SurveyReport) -> wire.SurveyReport:
    """The report, small enough to be sent: where it is not, without what the tools said."""
    if len(wire.encode(report)) <= LARGEST_REPORT:
        return report
    bare = [msgspec.structs.replace(one, said="", also=[], evidence=one.evidence[:200]) for one in report.installations]
    broken = [msgspec.structs.replace(one, said="", why=one.why[:200]) for one in report.broken]
    return msgspec.structs.replace(report, installations=bare[:500], broken=broken[:500])

"""When the agent surveys its host: at its start, once a day, on request, with a new catalogue, and when a folder in
which tools lie has changed."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import time
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

SURVEY_INTERVAL_SECONDS = 24 * 3600.0
CHECK_INTERVAL_SECONDS = 20.0
"""Seconds between looks at the folders. A look is one call to the system for each of about a hundred."""
AFTER_SHORTAGE = 60.0
"""Seconds until the next survey after one that was cut short."""
QUIET, MAX_QUIET_SECONDS = 30.0, 3600.0
"""Seconds for which a folder that changes for nothing is not looked at: doubled each time, up to the longest."""
MAX_REPORT_BYTES = wire.MAX_MESSAGE_BYTES - 64 * 1024


Folders = dict[str, tuple[float | None, frozenset[str]]]
"""By folder, when it last changed, and the names in it."""


class Surveying:
    """Keeps the server's knowledge of this host fresh. ``surveyed`` is called after each survey, with why it
    could not look at everything, "" where it could."""

    def __init__(
        self,
        system: System,
        probes: Probes,
        work_folder: str,
        tell: Callable[[wire.FromAgent], None],
        surveyed: Callable[[str], None],
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
        self._found: tuple[list[wire.FoundInstallation], list[wire.Broken]] = ([], [])
        self._changed: set[str] = set()
        self._fruitless: dict[str, int] = {}
        """By folder, how many surveys in a row its changes led to for nothing."""
        self._quiet_until: dict[str, float] = {}

    def want(self, because: str, mark: str = "") -> None:
        """Asks for a survey soon; one that is asked for while another runs follows it, and has the ``mark``."""
        self._because = because
        if mark:
            self._marks = [*self._marks, mark][-wire.MAX_MARKS :]
        self._wanted.set()

    async def survey_loop(self) -> None:
        """Surveys, for as long as the agent runs."""
        while True:
            because, self._because = self._because, "daily"
            marks, self._marks = self._marks, []
            self._wanted.clear()
            before = await asyncio.to_thread(self._folders)
            result = await survey(self._system, self._probes.tools)
            self._surveyed(result.shortage)
            if result.shortage:
                # What was not found may be there: the last good survey stays, and another one follows soon.
                log.warning("The survey was cut short: %s", result.shortage)
                self._because, self._marks = because, [*marks, *self._marks][-wire.MAX_MARKS :]
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(AFTER_SHORTAGE):
                        await self._wanted.wait()
                continue
            details = await gather_details(self._system, self._probes.tools)
            await self._report(result, details, because, marks)
            log.info("Surveyed (%s): %d installations in %.1f s.", because, len(result.installations), result.took)
            # A log-in may take long, so the survey does not wait for it.
            differs = differences(self._system, await self._system.fresh_environment(), self._probes.tools)
            if differs != self.differs:
                self.differs = differs
                await self._report(result, details, because, marks)
            self._learn_noise(because, result)
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(SURVEY_INTERVAL_SECONDS):
                    await self._wait(before)

    def _learn_noise(self, because: str, result: SurveyResult) -> None:
        """Of a folder whose change led to a survey that found nothing new, only the names in it count from then on, and
        each time it happens again it has to be quiet for longer: some tools write beside themselves whenever they run.
        It is never left out: a tool that is put there later is found."""
        found = (result.installations, result.broken)
        if because != "folders":
            self._fruitless.clear()
            self._quiet_until.clear()
        elif found == self._found:
            for folder in self._changed:
                times = self._fruitless[folder] = self._fruitless.get(folder, 0) + 1
                if times > 1:
                    self._quiet_until[folder] = time.monotonic() + min(MAX_QUIET_SECONDS, QUIET * 2**times)
        else:
            for folder in self._changed:
                self._fruitless.pop(folder, None)
                self._quiet_until.pop(folder, None)
        self._found = found

    async def _wait(self, before: Folders) -> None:
        """Until a survey is asked for, or a folder is another than it was. Of what happened during the survey itself,
        since ``before``, only names that came or went count: probes and log-ins may write there themselves."""
        folders = await asyncio.to_thread(self._folders)
        during = {folder for folder, seen in folders.items() if folder in before and seen[1] != before[folder][1]}
        if due := self._due(during):
            self._because, self._changed = "folders", due
            return
        # What has to be quiet still is compared with what it was, once it is due.
        folders |= {folder: before[folder] for folder in during}
        while not self._wanted.is_set():
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(CHECK_INTERVAL_SECONDS):
                    await self._wanted.wait()
                    return
            now = await asyncio.to_thread(self._folders)
            # An installer is let finish: it changes folders for as long as it works.
            while changed := self._differing(folders, now):
                self._because = "folders"
                self._changed = changed
                folders = now
                await asyncio.sleep(CHECK_INTERVAL_SECONDS / 4)
                now = await asyncio.to_thread(self._folders)
                if not self._differing(folders, now):
                    return

    def _differing(self, old: Folders, new: Folders) -> set[str]:
        """The folders that are others now: by their names, or by their time where that ever meant anything."""
        differing = set()
        for folder, seen in new.items():
            known = old.get(folder, (None, frozenset()))
            if seen[1] != known[1] or (seen[0] != known[0] and folder not in self._fruitless):
                differing.add(folder)
        return self._due(differing)

    def _due(self, folders: set[str]) -> set[str]:
        """Of these, the ones that need not be quiet any longer."""
        now = time.monotonic()
        return {folder for folder in folders if now >= self._quiet_until.get(folder, 0.0)}

    def _folders(self) -> Folders:
        folders = watched_folders(self._system, self._probes.tools)
        return {folder: (self._system.changed_at(folder), self._system.names_in(folder)) for folder in folders}

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
            facts=facts, installations=result.installations[: wire.MAX_FOUND], broken=result.broken[: wire.MAX_FOUND],
            took=result.took, details=details, looked_for=result.looked_for, because=because, marks=marks,
            catalogue=self._probes.number, refused=self._probes.refused,
        )  # fmt: skip
        self._tell(_fitting(report))


def _fitting(report: wire.SurveyReport) -> wire.SurveyReport:
    """The report, small enough to be sent; a larger one loses the tools' output."""
    if len(wire.encode(report)) <= MAX_REPORT_BYTES:
        return report
    bare = [
        msgspec.structs.replace(one, output="", also=[], evidence=one.evidence[:200]) for one in report.installations
    ]
    broken = [msgspec.structs.replace(one, output="", why=one.why[:200]) for one in report.broken]
    return msgspec.structs.replace(report, installations=bare[:500], broken=broken[:500])

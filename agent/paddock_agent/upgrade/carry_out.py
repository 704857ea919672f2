"""Carries an upgrade out, from the order to its proof, in a process of the old version. It may be cut off at any step,
and be started again: the pointer leads to one whole version at any time."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..doctor.note import FILE as NOTE
from ..doctor.note import Note, read_note
from ..errors import AgentError, CommandFailed, Dismissed, Unreachable
from ..replacing import wait_for_jobs
from ..services import diagnose, manager_of
from ..system import System
from ..system.paths import paths_of
from . import going_back, reporting
from .folders import current_folder, folder_of, is_complete, pointer_in, python_in, remove_others
from .installing import install
from .order import Order, from_answer
from .progress import Progress, UpgradeStep, read_progress, remove_new, save_progress

log = logging.getLogger("paddock.upgrade")

POLL_SECONDS = 1.0
RETRY_SECONDS = 5.0
MAX_STARTS = 5
"""So often the unit begins again before the switch; then it gives up. Afterwards the watch counts."""
MAX_UNREACHABLE_SECONDS = 3600.0
"""So long the new version is not blamed for a server that this process does not reach either."""
TRIES_BEFORE_BLAME = 1
"""Restarts by the service manager after which the new version counts as one that does not stay up."""

WaitForJobs = Callable[[Path, Callable[[str], None]], Awaitable[None]]
Tell = Callable[[Note, Progress], Mapping[str, Any]]


class NotNow(AgentError):
    """The upgrade ends before the switch, for a reason that does not speak against the new version."""


class Upgrade:
    """One upgrade on one host. ``folder`` is the watch's. ``tell`` and ``wait_for_jobs`` can be others in tests and on
    stand-ins."""

    def __init__(
        self, system: System, folder: str, tell: Tell = reporting.tell, wait: WaitForJobs = wait_for_jobs
    ) -> None:
        self._system, self._folder = system, folder
        self._note: Note = read_note(system.read_text(paths_of(system).join(folder, NOTE)), folder)
        self._manager = manager_of(system)
        self._tell_server, self._wait = tell, wait

    async def carry_out(self) -> Progress | None:
        """Goes on from where it is, to its end; None where there is nothing to do. Raises CommandFailed where the disk
        or the service manager refuses what going back needs."""
        progress = read_progress(self._system, self._folder)
        if progress is None or progress.is_over:
            return progress
        self._progress = progress
        if progress.step is not UpgradeStep.SWITCHED:
            self._save(replace(progress, starts=progress.starts + 1))
            try:
                await self._to_the_switch()
            except AgentError as error:
                going_back.free(self._system, self._note)
                going_back.clear(self._system, self._note)
                remove_new(self._system, self._progress)
                step = UpgradeStep.LEFT_OUT if isinstance(error, NotNow) else UpgradeStep.KEPT
                self._save(self._progress.ended(step, str(error), error.remedy))
                await self._tell_the_end()
                return self._progress
        else:
            self._save(replace(progress, overdue_at=self._overdue_at(progress.limit)))
        try:
            if not self._progress.is_restarted:
                await self._restart()
        except CommandFailed as error:
            await self._go_back(str(error))
        else:
            await self._prove()
        await self._tell_the_end()
        return self._progress

    def _overdue_at(self, limit: float) -> float:
        """When the watch may take this process for one that hangs."""
        return self._system.clock() + limit + MAX_UNREACHABLE_SECONDS

    # ---- up to the switch ------------------------------------------------------------------------------------------

    async def _to_the_switch(self) -> None:
        """Raises AgentError if the host keeps its version. Nothing is switched before this returns."""
        if self._progress.starts > MAX_STARTS:
            raise CommandFailed(f"The upgrade was cut off {MAX_STARTS} times before it was installed.")
        order = await self._ask_order()
        before = current_folder(self._system, self._note.prefix)
        place = folder_of(self._system, self._note.prefix, order.version)
        if place == before:
            raise NotNow(f"This host runs {order.version} already.")
        is_resumed = self._progress.to == place
        was_there = self._progress.was_there if is_resumed else is_complete(self._system, place, order.wheel[1])
        self._save(
            replace(
                self._progress, step=UpgradeStep.INSTALLING, before=before, to=place, version=order.version,
                was_there=was_there,
            )
        )  # fmt: skip
        await self._tell()
        await install(self._system, self._note, self._folder, order, self._manager)
        self._save(replace(self._progress, step=UpgradeStep.DRAINING))
        await self._drain(order)
        going_back.prepare(self._system, self._note, self._folder)
        await self._tell()
        self._save(
            replace(
                self._progress,
                step=UpgradeStep.SWITCHED,
                starts=0,
                limit=order.proof_limit,
                overdue_at=self._overdue_at(order.proof_limit),
                words_before=len(going_back.last_words(self._system, self._note)),
            )
        )

    async def _restart(self) -> None:
        """From the decision to the running service. It may be cut off, and is then done once more."""
        self._system.point(pointer_in(self._system, self._note.prefix), self._progress.to)
        with contextlib.suppress(CommandFailed):  # the state of the service says why
            await self._manager.restart(self._note.service)
        going_back.free(self._system, self._note)
        self._save(replace(self._progress, is_restarted=True))

    async def _ask_order(self) -> Order:
        while True:
            try:
                asking = replace(self._progress, step=UpgradeStep.ASKED)
                answer = await asyncio.to_thread(self._tell_server, self._note, asking)
                break
            except Unreachable as error:
                log.warning("The server does not answer: %s", error)
                await asyncio.sleep(RETRY_SECONDS)
        if answer.get("stop"):
            raise NotNow("The upgrade was stopped before it began here.")
        return from_answer(answer, self._note.signer, self._note.host, self._progress.order)

    async def _drain(self, order: Order) -> None:
        """Waits until no job runs, and asks now and then whether the upgrade is still wanted."""
        waiting = asyncio.ensure_future(self._wait(Path(self._note.home), log.info))
        try:
            async with asyncio.timeout(order.drain_limit):
                while not waiting.done():
                    await self._tell()
                    await asyncio.wait([waiting], timeout=RETRY_SECONDS)
            waiting.result()
        except TimeoutError:
            raise NotNow(f"Its jobs did not end within {order.drain_limit / 60:.0f} minutes.") from None
        finally:
            waiting.cancel()
            await asyncio.gather(waiting, return_exceptions=True)

    # ---- after it --------------------------------------------------------------------------------------------------

    async def _prove(self) -> None:
        """Until the server says that it is proven, or it has to go back."""
        clock = asyncio.get_running_loop().time
        reached = unreached = 0.0
        stopped = 0
        before = clock()
        while True:
            answer = await self._answer()
            seconds, before = clock() - before, clock()
            if answer is None:
                unreached += seconds
            else:
                reached += seconds
            if answer and answer.get("proven"):
                self._save(self._progress.ended(UpgradeStep.PROVEN))
                going_back.clear(self._system, self._note)
                await self._clean_up()
                return
            why, is_stopped = await self._why_dead()
            stopped = stopped + 1 if is_stopped else 0
            why = str((answer or {}).get("go_back") or "") or why
            if not why and stopped > 1:
                why = "The service of the new version stopped."
            if not why and reached > self._progress.limit:
                why = f"It was not proven within {self._progress.limit:.0f} seconds."
            if not why and unreached > MAX_UNREACHABLE_SECONDS:
                why = "The server did not answer for an hour."
            if why:
                await self._go_back(why)
                return
            await asyncio.sleep(POLL_SECONDS)

    async def _go_back(self, why: str) -> None:
        self._progress = await going_back.go_back(
            self._system, self._note, self._folder, self._manager, self._progress, why
        )

    async def _why_dead(self) -> tuple[str, bool]:
        """Why the service cannot come to run, "" where it may; and whether it is stopped."""
        try:
            state = await self._manager.state(self._note.service)
        except AgentError:
            return "", False
        if state.running in ("failed", "missing"):
            return diagnose(state).sentence, False
        if state.restarts >= TRIES_BEFORE_BLAME:
            again = "The service of the new version ended, and its manager started it again."
            return again if state.running == "running" else diagnose(state).sentence, False
        return "", state.running == "stopped"

    async def _clean_up(self) -> None:
        """Old folders go, two stay; the watch becomes that of the new version, if that one can report."""
        remove_others(self._system, self._note.prefix, {self._progress.before, self._progress.to})
        program = [python_in(self._system, self._progress.to), "-m", "paddock_agent"]
        try:
            done = await self._system.run([*program, "watch", "renew", "--folder", self._folder], 180.0)
            why = "" if not done.exit_code else (done.stderr.strip() or done.stdout.strip())
        except CommandFailed as error:
            why = str(error)
        if why:
            why = f"The agent is proven; its watch stays that of the version before: {why}"
            self._save(replace(self._progress, why=why[:2000]))

    # ---- what it says ----------------------------------------------------------------------------------------------

    def _save(self, progress: Progress) -> Progress:
        self._progress = save_progress(self._system, self._folder, progress)
        return progress

    async def _answer(self) -> Mapping[str, Any] | None:
        try:
            return await asyncio.to_thread(self._tell_server, self._note, self._progress)
        except AgentError as error:
            log.warning("The server does not answer: %s", error)
            return None

    async def _tell(self) -> None:
        """Reports a step before the switch. Raises NotNow if the server wants no upgrade any more."""
        answer = await self._answer()
        if answer and answer.get("stop"):
            raise NotNow("The upgrade was stopped; this host keeps its version.")

    async def _tell_the_end(self) -> None:
        """If the server does not answer now, the watch reports it later."""
        with contextlib.suppress(Dismissed):
            if await self._answer() is not None:
                self._save(replace(self._progress, is_told=True))

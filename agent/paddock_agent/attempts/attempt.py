"""One attempt: its steps, one after the other, each with its own end; what they print; what is left when they are over.

A cancel, or the end of the time limit, ends the step at work with all that it started. Steps that run always follow
even then, for they clean up; only when the agent itself stops do they not.
"""

from __future__ import annotations

import asyncio
import contextlib
import secrets
import signal
import time
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from .. import wire
from ..catalogue import Tool
from ..errors import CommandFailed
from ..masking import Masker
from ..survey.details import PLAIN_VALUES
from ..system import Script, ScriptProcess, Survivor, System
from ..system.paths import paths_of
from . import checkout, leftovers
from .binding import bound_environment
from .bounded_log import BoundedLog, Piece
from .folders import WorkFolders
from .outbox import MAX_PATH_LENGTH, Outbox

STOP_PATIENCE = 10.0
"""Seconds between asking a step to end and insisting."""
PIPE_PATIENCE = 2.0
"""Seconds that what a step left in the background may hold the next one up, while it has its output open."""
CLEAN_UP_LIMIT = 300.0
"""Seconds for a step that runs always, where it says nothing else."""
FIRST_LOOK, NEXT_LOOK = 0.5, 2.0
"""Seconds until what a step uses is looked at, and between looks."""
ROUNDS = 10
"""How often what is left is ended, while it goes on making more."""
MARK = "PADDOCK_RUN"


@dataclass(frozen=True)
class Place:
    """What an attempt needs of its host. ``tell`` puts a message into the spool; ``begin`` tells that an attempt
    starts, and returns once the server has it for running."""

    system: System
    folders: WorkFolders
    outbox: Outbox
    notes: Path
    tell: Callable[[wire.FromAgent], None]
    begin: Callable[[wire.AttemptStarted], Coroutine[Any, Any, None]]
    definition: Callable[[str], Tool | None]
    try_work: Callable[[], Coroutine[Any, Any, Sequence[wire.FailedPart]]]


class CannotBegin(Exception):
    """This host cannot begin the attempt; another one may."""


@dataclass(frozen=True)
class StepEnd:
    """How a step ended, in the words of the wire."""

    outcome: str
    exit_code: int | None = None
    why: str = ""
    commit: str = ""

    @property
    def is_good(self) -> bool:
        return self.outcome == "exited" and self.exit_code == 0


@dataclass
class _Used:
    processor: float = 0.0
    memory: int = 0
    groups: list[int] = field(default_factory=list)
    readers: list[asyncio.Task[None]] = field(default_factory=list)
    processes: list[ScriptProcess] = field(default_factory=list)


class Attempt:
    """One offer at work. ``stop`` may be called at any time."""

    def __init__(self, place: Place, offer: wire.Offer) -> None:
        self.offer = offer
        self._place = place
        self._stop = asyncio.Event()
        self._stopped_as = ""
        self._at_once = asyncio.Event()
        self._mark = secrets.token_hex(8)
        self._log = BoundedLog()
        self._masker = Masker([one.value for one in offer.secrets])
        self._used = _Used()
        self._folder = ""
        self._environment: dict[str, str] = {}
        self._commands: list[Sequence[str] | CommandFailed] = []

    def stop(self, outcome: str, *, at_once: bool) -> None:
        """Asks it to end, ``at_once`` without cleaning up. What is asked for first is how it ended."""
        self._stopped_as = self._stopped_as or outcome
        self._stop.set()
        if at_once:
            self._at_once.set()

    async def run(self) -> None:
        """Runs the steps and reports them. The end is reported even if a step fails unexpectedly."""
        try:
            ended = await self._work()
        except CannotBegin as error:
            self._place.tell(wire.AttemptRefused(attempt=self.offer.attempt, why=str(error)[:2000]))
            return
        except (CommandFailed, OSError, ValueError) as error:
            ended = StepEnd("not started", None, f"It could not be started: {error}")
        except Exception as error:  # its slot has to be free again, whatever it was
            ended = StepEnd("not started", None, f"The agent itself failed: {error!r}")
        leftovers: list[wire.LeftoverProcess] = []
        try:
            leftovers = await self._after_all()
        except Exception as error:
            ended = StepEnd(ended.outcome, ended.exit_code, f"{ended.why} What follows the last step failed: {error!r}")
        self._place.tell(
            wire.AttemptEnded(
                attempt=self.offer.attempt,
                outcome=ended.outcome if ended.outcome != "signalled" else "exited",
                exit_code=ended.exit_code,
                why=self._masker.cover(ended.why)[:2000],
                at=time.time(),
                processor=round(self._used.processor, 3),
                memory=self._used.memory,
                leftover_processes=leftovers[:100],
            )
        )

    # ---- the whole -------------------------------------------------------------------------------------------------

    async def _work(self) -> StepEnd:
        offer, place = self.offer, self._place
        is_warm = await self._prepare()
        self._environment = self._variables()
        everything = {**place.system.environment(), **self._environment}
        shown = {*PLAIN_VALUES, *(name for name in self._environment if name.endswith(("_HOME", "_VERSION")))}
        started = wire.AttemptStarted(
            attempt=offer.attempt,
            account=place.system.account()[:200],
            folder=self._folder[:2000],
            at=time.time(),
            warm=is_warm,
            variable_names=sorted(name for name in everything if name != MARK and 0 < len(name) <= 200)[:1000],
            variable_values={
                name: self._masker.cover(everything[name])[:2000] for name in sorted(shown) if name in everything
            },
        )
        # Before any of them runs: one that fills the disk must not keep those that clean up from starting.
        self._commands = [self._written(number, step) for number, step in enumerate(offer.steps)]
        # Until the server has it for running, the job may be offered to another host, and would run twice.
        await self._unless_stopped(place.begin(started))
        limit = time.monotonic() + offer.time_limit if offer.time_limit else None
        worst: StepEnd | None = None
        for number, step in enumerate(offer.steps):
            if self._at_once.is_set() or ((worst or self._stop.is_set()) and not step.always):
                self._tell_end(number, StepEnd("skipped"))
                continue
            place.tell(wire.StepBegan(attempt=offer.attempt, step=number, at=time.time()))
            ended = await self._step(number, step, limit)
            self._tell_end(number, ended)
            if not ended.is_good and worst is None:
                worst = ended
        if self._stopped_as:
            return StepEnd(self._stopped_as)
        return worst or StepEnd("exited", 0)

    async def _prepare(self) -> bool:
        """Makes the work folder, after this host has proved that it can work; whether it was used before. Raises
        CannotBegin."""
        offer, place = self.offer, self._place
        if cannot := await place.try_work():
            raise CannotBegin("This host cannot work now: " + "; ".join(f"{one.part}: {one.why}" for one in cannot))
        try:
            if offer.warm:
                self._folder, is_warm = place.folders.warm(offer.attempt, offer.pipeline)
            else:
                self._folder, is_warm = place.folders.fresh(offer.attempt, offer.pipeline), False
        except (CommandFailed, OSError) as error:
            raise CannotBegin(f"Its work folder could not be made: {error}") from None
        return is_warm

    async def _unless_stopped(self, wanted: Coroutine[Any, Any, None]) -> None:
        tasks: list[asyncio.Task[Any]] = [asyncio.create_task(wanted), asyncio.create_task(self._stop.wait())]
        try:
            done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
            for task in done:
                task.result()
        finally:
            for task in tasks:
                task.cancel()

    def _tell_end(self, number: int, ended: StepEnd) -> None:
        code = ended.exit_code
        self._place.tell(
            wire.StepEnded(
                attempt=self.offer.attempt,
                step=number,
                outcome=ended.outcome,
                at=time.time(),
                exit_code=code,
                signal=signal_name(code),
                why=self._masker.cover(ended.why)[:2000],
                commit=ended.commit[:200],
            )
        )

    async def _after_all(self) -> list[wire.LeftoverProcess]:
        """What is to be done once the last step is over: processes that are left, files to keep, the folder."""
        offer, place = self.offer, self._place
        leftovers = await self._end_what_is_left()
        for reader in self._used.readers:
            with contextlib.suppress(OSError):
                await reader
        self._tell_pieces(self._masker.end(), len(offer.steps) - 1)
        for piece in self._log.end(time.time()):
            self._tell_piece(piece)
        try:
            if offer.outputs and self._folder and self._stopped_as != "agent stopped":
                collect = place.outbox.collect
                collected, left_out = await asyncio.to_thread(collect, offer.attempt, self._folder, offer.outputs)
                place.tell(self._announced(collected, left_out))
                place.outbox.news.set()
        finally:
            if self._folder:
                await asyncio.to_thread(place.folders.release, self._folder, offer.attempt)
        return leftovers

    def _announced(self, collected: list[wire.OutputFile], left_out: list[str]) -> wire.Outputs:
        """The announcement of the collected files; their names may contain secrets, too."""
        cover = self._masker.cover
        files = [wire.OutputFile(cover(one.path)[:MAX_PATH_LENGTH], one.size, one.sha256) for one in collected]
        return wire.Outputs(attempt=self.offer.attempt, files=files, left_out=[cover(one)[:2000] for one in left_out])

    async def _end_what_is_left(self) -> list[wire.LeftoverProcess]:
        system = self._place.system
        mark = f"{MARK}={self._mark}"
        found: list[Survivor] = []
        for _ in range(ROUNDS):
            alive = await asyncio.to_thread(system.survivors, mark, self._used.groups)
            found += [one for one in alive if one not in found]
            if not alive or self.offer.leaves_processes:
                break
            system.end_survivors(alive)
        for process in self._used.processes:
            reading = [one for one in self._used.readers if not one.done()]
            if reading and not self.offer.leaves_processes:
                await asyncio.wait(reading, timeout=PIPE_PATIENCE)
            process.close()
        return [
            wire.LeftoverProcess(pid=one.pid, name=one.name, ended=not self.offer.leaves_processes) for one in found
        ]

    # ---- one step --------------------------------------------------------------------------------------------------

    async def _step(self, number: int, step: wire.WireStep, limit: float | None) -> StepEnd:
        own = step.time_limit or (CLEAN_UP_LIMIT if step.always else 0)
        end = time.monotonic() + own if own else None
        if limit is not None and not step.always and (end is None or limit < end):
            end, own = limit, self.offer.time_limit
        stop = self._at_once if step.always else self._stop
        try:
            folder = self._folder_of(step)
            if step.checkout:
                return await self._check_out(number, step.checkout, folder, end, stop)
            command = self._commands[number]
            if isinstance(command, CommandFailed):
                raise command
            process = await self._place.system.start_command(command, folder, {**self._environment, **step.variables})
        except (CommandFailed, OSError, ValueError) as error:
            self._tell_pieces(f"{error}\n".encode(), number)
            return StepEnd("not started", None, f"The step {step.name} could not be started: {error}")
        ended = await self._follow(number, process, end, stop)
        return replace(ended, why=f"It passed its time limit of {own:g} s.") if ended.outcome == "timed out" else ended

    def _written(self, number: int, step: wire.WireStep) -> Sequence[str] | CommandFailed:
        """The command of a step's script, or why it could not be written."""
        if step.checkout:
            return ()
        shell = step.shell or self._place.system.default_shell()
        try:
            return self._place.system.write_script(
                Script(step.script, shell, self._place.folders.script(self.offer.attempt, number))
            )
        except CommandFailed as error:
            return error

    def _folder_of(self, step: wire.WireStep) -> str:
        if not step.folder:
            return self._folder
        paths = paths_of(self._place.system)
        folder: str = paths.normpath(paths.join(self._folder, step.folder))
        real = self._place.system.real_path(folder)
        root = self._place.system.real_path(self._folder)
        if real != root and not real.startswith(root.rstrip("/\\") + paths.sep):
            raise CommandFailed(f"its folder {step.folder} leads out of the work folder")
        self._place.system.make_folder(folder)
        return folder

    async def _follow(
        self,
        number: int,
        process: ScriptProcess,
        end: float | None,
        stop: asyncio.Event,
        lines: list[bytes] | None = None,
    ) -> StepEnd:
        """Tells what a process prints until it ends, and ends it when its time is over or it is to stop."""
        self._used.processes.append(process)
        if process.pid:
            self._used.groups.append(process.pid)
        leftovers.note(self._place.notes, self.offer.attempt, f"{MARK}={self._mark}", process.pid)
        reading = asyncio.create_task(self._tell_log(number, process, lines))
        self._used.readers.append(reading)
        looking = asyncio.create_task(self._look_at_use(process))
        waiting = asyncio.create_task(process.wait())
        stopping = asyncio.create_task(stop.wait())
        outcome = "exited"
        try:
            limit = None if end is None else max(0.0, end - time.monotonic())
            done, _ = await asyncio.wait({waiting, stopping}, timeout=limit, return_when=asyncio.FIRST_COMPLETED)
            if waiting not in done:
                outcome = self._stopped_as if stopping in done else "timed out"
                await process.stop(STOP_PATIENCE)
            code = await waiting
        finally:
            stopping.cancel()
            looking.cancel()
        used = process.use()
        self._used.processor += used.processor
        self._used.memory = max(self._used.memory, used.memory)
        await asyncio.wait([reading], timeout=PIPE_PATIENCE)
        if outcome == "timed out":
            return StepEnd(outcome, None, "It passed its time limit.")
        if outcome != "exited":
            return StepEnd(outcome)
        if code < 0:
            return StepEnd("signalled", code, f"It was ended by the signal {signal_name(code)}.")
        return StepEnd("exited", code)

    async def _look_at_use(self, process: ScriptProcess) -> None:
        wait = FIRST_LOOK
        while True:
            await asyncio.sleep(wait)
            used = await asyncio.to_thread(process.use)
            self._used.memory = max(self._used.memory, used.memory)
            wait = NEXT_LOOK

    async def _tell_log(self, number: int, process: ScriptProcess, lines: list[bytes] | None) -> None:
        while data := await process.read():
            if lines is not None:
                lines.append(data[:200])
            self._tell_pieces(self._masker.write(data), number)
            # A step that floods its log must not keep the agent from its heartbeats.
            await asyncio.sleep(0)

    def _tell_pieces(self, data: bytes, number: int) -> None:
        for piece in self._log.write(data, time.time(), number):
            self._tell_piece(piece)

    def _tell_piece(self, piece: Piece) -> None:
        self._place.tell(
            wire.LogChunk(
                attempt=self.offer.attempt, offset=piece.offset, data=piece.data, at=piece.at, step=piece.step
            )
        )

    async def _check_out(
        self, number: int, wanted: wire.Checkout, folder: str, end: float | None, stop: asyncio.Event
    ) -> StepEnd:
        checkout.checked(wanted)
        system = self._place.system
        secret = next((one for one in self.offer.secrets if one.name == wanted.secret), None) if wanted.secret else None
        variables = {**self._environment, **checkout.environment(secret)}
        is_there = ".git" in system.folders_in(folder)
        lines: list[bytes] = []
        for run in checkout.commands(wanted, is_there):
            ended = StepEnd("exited", 1)
            for command in (run.command, run.otherwise):
                if not command or ended.is_good:
                    continue
                lines = []
                self._tell_pieces(f"$ {' '.join(command)}\n".encode(), number)
                process = await system.start_command(command, folder, variables)
                ended = await self._follow(number, process, end, stop, lines)
                if ended.outcome not in ("exited", "signalled"):
                    return ended
            if not ended.is_good:
                return StepEnd(ended.outcome, ended.exit_code, f"Git did not do it: {' '.join(run.command[:2])}.")
        return StepEnd("exited", 0, "", b"".join(lines).decode("ascii", "replace").strip())

    def _variables(self) -> dict[str, str]:
        """The environment of every step: what the job is, its secrets, and the tools that its terms are bound to."""
        offer = self.offer
        return {
            **offer.variables,
            **bound_environment(self._place.system, offer.tools, self._place.definition),
            **{one.name: one.value for one in offer.secrets if one.is_variable},
            "PADDOCK_JOB": str(offer.job),
            "PADDOCK_JOB_NAME": offer.name,
            "PADDOCK_PIPELINE": offer.pipeline,
            "PADDOCK_ATTEMPT": "-".join(offer.attempt.split("-")[:2]),
            "PADDOCK_FOLDER": self._folder,
            MARK: self._mark,
        }


def signal_name(code: int | None) -> str:
    """The name of the signal that ended a process, "" where none did: of its shell, or of a command that it ran."""
    if code is None or not (code < 0 or 128 < code < 192):
        return ""
    with contextlib.suppress(ValueError):
        return signal.Signals(-code if code < 0 else code - 128).name
    return ""

"""The watch's part in an upgrade: it starts the unit, starts it again where it was cut off, and reports an end that the
server has not heard of. Needs nothing of the agent's packages."""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import replace

from ..doctor.note import Note
from ..errors import AgentError
from ..services import ServiceManager, manager_of
from ..system import System
from ..system.paths import paths_of
from . import going_back, reporting
from .folders import current_folder, python_in
from .progress import Progress, UpgradeStep, read_progress, save_progress

UPGRADER = "upgrader"
"""A file with the path of the Python that carries the upgrade out: that of the version from before it. Without the
file the unit goes back with the watch's own means."""
MAX_STARTS_AFTER_SWITCH = 3
"""So often the watch starts the unit again after the switch; then that process is not trusted to go back."""


def unit_name(service: str) -> str:
    """The name of the unit that upgrades the agent of ``service``."""
    return service.removesuffix(".service").replace("agent", "upgrade", 1)


def can_upgrade(system: System, note: Note) -> bool:
    """Whether this host has what an upgrade needs: the server's key, and a pointer to the version that runs. On Windows
    there is no such pointer yet."""
    if not (note.signer and note.prefix and note.account):
        return False
    with contextlib.suppress(AgentError):
        return bool(current_folder(system, note.prefix))
    return False


async def begin(system: System, note: Note, folder: str, number: int) -> None:
    """Starts the upgrade with this order, unless it is known here. Raises CommandFailed."""
    known = read_progress(system, folder)
    if known is not None and (known.order == number or not known.is_over):
        return
    python = python_in(system, current_folder(system, note.prefix))
    system.write_text(paths_of(system).join(folder, UPGRADER), python + "\n", 0o600)
    save_progress(system, folder, Progress(number))
    await manager_of(system).start_on_demand(unit_name(note.service))


async def go_on(system: System, note: Note, folder: str) -> None:
    """Looks after an upgrade that is under way, or whose end the server has not heard of. Raises CommandFailed."""
    progress = read_progress(system, folder)
    if progress is None:
        return
    manager, unit = manager_of(system), unit_name(note.service)
    if progress.is_over:
        if not progress.is_told:
            await _tell_end(system, note, folder, progress)
        return
    is_switched = progress.step is UpgradeStep.SWITCHED
    hangs = False
    if await manager.is_at_work(unit):
        hangs = is_switched and system.clock() > progress.overdue_at
        if not hangs:
            return
        await manager.stop_on_demand(unit)
    if is_switched:
        progress = save_progress(system, folder, replace(progress, starts=progress.starts + 1))
    if hangs or (is_switched and progress.starts > MAX_STARTS_AFTER_SWITCH):
        system.remove_file(paths_of(system).join(folder, UPGRADER))
    await manager.start_on_demand(unit)


async def carry_on_without(system: System, note: Note, folder: str) -> Progress | None:
    """What the unit does where the version from before cannot be started: it goes back, if anything was switched."""
    progress = read_progress(system, folder)
    if progress is None or progress.is_over:
        return progress
    manager: ServiceManager = manager_of(system)
    why = "The program that carries the upgrade out did not start, or was cut off again and again."
    if progress.step is UpgradeStep.SWITCHED:
        ended = await going_back.go_back(system, note, folder, manager, progress, why)
    else:
        ended = save_progress(system, folder, progress.ended(UpgradeStep.KEPT, why))
    await _tell_end(system, note, folder, ended)
    return ended


async def _tell_end(system: System, note: Note, folder: str, progress: Progress) -> None:
    with contextlib.suppress(AgentError):
        await asyncio.to_thread(reporting.tell, note, progress)
        save_progress(system, folder, replace(progress, is_told=True))

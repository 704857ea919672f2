"""What a heartbeat says of the host: its readings, and whether jobs could run in the work folder."""

from __future__ import annotations

from .errors import CommandFailed
from .limits import folder_trouble
from .system import System
from .wire import Heartbeat


def heartbeat(system: System, work_folder: str) -> Heartbeat:
    """The readings of this moment. What cannot be learnt is left out: a heartbeat is sent in any case."""
    vitals = system.vitals()
    try:
        free: float | None = system.disk(work_folder).free
    except (OSError, CommandFailed):
        free = None
    return Heartbeat(
        at=system.clock(),
        load=vitals.load,
        memory_free=vitals.memory_free,
        disk_free=free,
        system_free=vitals.system_free,
        open_files=vitals.open_files,
        uptime=vitals.uptime,
        agent_memory=vitals.agent_memory,
        work_trouble=work_trouble(system, work_folder)[:500],
    )


def work_trouble(system: System, work_folder: str) -> str:
    """Why jobs cannot run in the work folder, as the end of a sentence; "" where they can. A folder that is missing and
    can be made is no trouble: the next job makes it."""
    if why := folder_trouble(work_folder, system.family):
        return why[0].lower() + why[1:].rstrip(".")
    return system.why_not_writable(work_folder)

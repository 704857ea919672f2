"""What a heartbeat says of the host: its readings."""

from __future__ import annotations

from .errors import CommandFailed
from .system import System
from .wire import Heartbeat


def heartbeat(system: System, work_folder: str) -> Heartbeat:
    """The readings of this moment. Unknown ones are left out; a heartbeat is always sent."""
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
    )

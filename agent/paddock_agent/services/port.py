"""What the agent asks of a service manager."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

Running = Literal["running", "stopped", "failed", "trying again", "missing"]


@dataclass(frozen=True)
class Definition:
    """The service to set up. ``command`` is the program with its arguments; ``path`` becomes its PATH."""

    name: str
    description: str
    account: str
    command: Sequence[str]
    home: str
    path: str


@dataclass(frozen=True)
class ServiceState:
    """The service as its manager sees it.

    ``exit_status`` is that of its last end, None if it never ended or was ended by a signal; ``result`` is the
    manager's word for how it ended; ``evidence`` are its last lines in the system's log.
    """

    name: str
    running: Running
    starts_at_boot: bool = False
    account: str = ""
    account_exists: bool = True
    exit_status: int | None = None
    result: str = ""
    restarts: int = 0
    since: str = ""
    program: str = ""
    evidence: tuple[str, ...] = ()


class ServiceManager(Protocol):
    """One host's service manager. All raise CommandFailed with what the manager said."""

    async def install(self, definition: Definition) -> None:
        """Writes the service, checks it, and lets it start at boot; does not start it. An older one is replaced."""

    async def start(self, name: str) -> None:
        """Starts it, whatever it was before."""

    async def stop(self, name: str) -> None:
        """Stops it; it stays set up."""

    async def restart(self, name: str) -> None:
        """Stops and starts it."""

    async def uninstall(self, name: str) -> None:
        """Stops it and takes it out; one that is not there is no error."""

    async def state(self, name: str) -> ServiceState:
        """How it is."""

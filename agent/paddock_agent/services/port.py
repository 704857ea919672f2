"""What the agent asks of a service manager."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Literal, Protocol

from ..system.port import Family

Running = Literal["running", "stopped", "failed", "trying again", "missing"]


class Cause(StrEnum):
    """Why a service does not run, as far as its manager's own numbers tell."""

    UNKNOWN = ""
    NO_ACCOUNT = "no account"
    NO_GROUP = "no group"
    NO_PROGRAM = "no program"
    NO_FOLDER = "no folder"
    NOT_JOINED = "not joined"
    DISMISSED = "dismissed"
    LOGON_FAILED = "logon failed"
    NO_LOGON_RIGHT = "no right to log on"
    TOO_MANY_STARTS = "too many starts"
    NO_ANSWER = "no answer"
    DISABLED = "disabled"
    NO_LOGIN = "no login session"
    KILLED = "killed"
    ENDED = "ended"


AGENT_CAUSES = {5: Cause.NOT_JOINED, 6: Cause.DISMISSED}
"""The agent's own exit codes after which a restart changes nothing; see the cli module."""


@dataclass(frozen=True)
class Definition:
    """The service to set up. ``command`` is the program with its arguments; ``environment`` is what it starts with.

    ``at_login`` has it start when its account logs in, not at boot: for builds that need a screen (macOS).
    """

    name: str
    description: str
    account: str
    command: Sequence[str]
    home: str
    environment: Mapping[str, str] = field(default_factory=dict)
    at_login: bool = False


@dataclass(frozen=True)
class Repeated:
    """A program that runs again and again as the system itself: at boot, and every ``seconds``. It gets nothing but
    what it needs: ``folder`` is the only one that it may write to; ``service`` is that whose environment it has. A
    change of the file ``nudge``, if one is named, starts it too, where the manager can do that."""

    name: str
    description: str
    command: Sequence[str]
    folder: str
    seconds: int
    service: str = ""
    nudge: str = ""


@dataclass(frozen=True)
class OnDemand:
    """A program that runs as the system itself when it is asked for. It changes the agent's program and restarts the
    service ``service``, whose environment it has. ``folders`` are those that it writes to."""

    name: str
    description: str
    command: Sequence[str]
    folders: Sequence[str]
    service: str


@dataclass(frozen=True)
class ServiceState:
    """The service as its manager sees it.

    ``cause`` is why it does not run and ``code`` the manager's own number for that, as "status 217"; ``result`` is the
    manager's word for how it ended; ``evidence`` are its last lines in the system's log. ``unit_trouble`` is what is
    wrong with its definition, though it may still run: its next start will fail.
    """

    name: str
    family: Family
    running: Running
    starts_at_boot: bool = False
    start_type: str = ""
    account: str = ""
    cause: Cause = Cause.UNKNOWN
    code: str = ""
    exit_status: int | None = None
    result: str = ""
    restarts: int = 0
    since: str = ""
    program: str = ""
    evidence: tuple[str, ...] = ()
    unit_trouble: str = ""


@dataclass(frozen=True)
class Trouble:
    """Something that has to be mended first, and the commands for that host that do."""

    sentence: str
    remedy: tuple[str, ...] = ()


class ServiceManager(Protocol):
    """One host's service manager. All raise CommandFailed with the manager's message.

    ``title`` is what people call it. ``own_account`` is the account that a service gets when none is named.
    """

    title: str

    def own_account(self, name: str) -> str:
        """The account that the service ``name`` gets when no other is asked for."""

    async def why_absent(self) -> str:
        """Why this manager is not at work on this host; "" where it is."""

    async def account_trouble(self, account: str) -> Trouble | None:
        """What keeps ``account``, one that was named, from running a service."""

    async def prepare(self, account: str, folders: Sequence[str], program: Sequence[str], secret: str) -> None:
        """Makes its own account where that is asked for and missing, gives the account its folders and the right to run
        services, and proves that it can run ``program``. ``secret`` is the account's password, where one is needed."""

    async def prove(self, account: str, program: Sequence[str]) -> None:
        """Proves that ``account`` can run ``program``."""

    async def install(self, definition: Definition, secret: str = "") -> None:
        """Writes the service, checks it, and lets it start at boot; does not start it. An older one is replaced."""

    async def start(self, name: str) -> None:
        """Starts it, whatever it was before."""

    async def stop(self, name: str) -> None:
        """Stops it; it stays set up."""

    async def restart(self, name: str) -> None:
        """Stops and starts it."""

    async def uninstall(self, name: str) -> None:
        """Stops it and takes it out; does nothing if it is not there."""

    async def state(self, name: str) -> ServiceState:
        """How it is."""

    async def states(self, names: Sequence[str]) -> list[ServiceState]:
        """The states of several services that others set up, in order; without the last lines of their logs."""

    async def set_repeated(self, repeated: Repeated) -> None:
        """Sets a repeated program up, and has it run for the first time soon. An older one is replaced."""

    async def remove_repeated(self, name: str) -> None:
        """Takes it out; does nothing if it is not there."""

    async def set_on_demand(self, program: OnDemand) -> None:
        """Sets a program up; does not start it. An older one is replaced."""

    async def start_on_demand(self, name: str) -> None:
        """Starts it, and does not wait for its end; does nothing while it runs."""

    async def stop_on_demand(self, name: str) -> None:
        """Ends it, if it runs."""

    async def is_at_work(self, name: str) -> bool:
        """Whether it runs."""

    async def remove_on_demand(self, name: str) -> None:
        """Takes it out; does nothing if it is not there."""

    def letting(self, account: str, service: str) -> tuple[str, ...]:
        """The commands, for an administrator, that let ``account`` start and stop a service."""

"""What the agent asks of Windows: its service control manager, its accounts, its environment.

The real one (``windows_real``) is pywin32; the stand-ins ship one that behaves like it. Numbers are those of Windows
(winerror.h, winsvc.h, winnt.h).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

ACCESS_DENIED = 5
FILE_NOT_FOUND = 2
SERVICE_REQUEST_TIMEOUT = 1053
SERVICE_ALREADY_RUNNING = 1056
INVALID_SERVICE_ACCOUNT = 1057
SERVICE_DISABLED = 1058
SERVICE_DOES_NOT_EXIST = 1060
SERVICE_NOT_ACTIVE = 1062
SERVICE_SPECIFIC_ERROR = 1066
SERVICE_LOGON_FAILED = 1069
SERVICE_MARKED_FOR_DELETE = 1072
SERVICE_NEVER_STARTED = 1077

STOPPED, START_PENDING, STOP_PENDING, RUNNING = 1, 2, 3, 4
"""SERVICE_STATUS.dwCurrentState."""
AUTO_START, DEMAND_START, DISABLED = 2, 3, 4
"""QUERY_SERVICE_CONFIG.dwStartType."""


class ServiceError(Exception):
    """Windows refused: ``number`` is its error, the text its message."""

    def __init__(self, number: int, text: str) -> None:
        self.number = number
        super().__init__(text)


@dataclass(frozen=True)
class Configuration:
    """How a service is set up. ``command`` is its whole command line, quoted as Windows wants it."""

    command: str
    account: str
    start: int = AUTO_START
    title: str = ""
    description: str = ""
    restart_after: Sequence[int] = ()
    """Recovery actions: seconds before each new start, the last one for all that follow."""


@dataclass(frozen=True)
class Status:
    """``exit`` is the last error of Windows, ``specific`` the service's own exit code where ``exit`` is
    SERVICE_SPECIFIC_ERROR."""

    state: int
    exit: int = 0
    specific: int = 0
    process: int = 0


class ServiceControl(Protocol):
    """One Windows. All raise ServiceError."""

    def configuration(self, name: str) -> Configuration | None:
        """How the service is set up; None where there is none."""

    def status(self, name: str) -> Status:
        """How it is now."""

    def set_up(self, name: str, configuration: Configuration, password: str, environment: Mapping[str, str]) -> None:
        """Makes the service, or changes the one that is there. ``environment`` is over that of the machine."""

    def start(self, name: str) -> None:
        """Starts it, and waits until it runs or has failed."""

    def stop(self, name: str) -> None:
        """Stops it, and waits until it has."""

    def delete(self, name: str) -> None:
        """Takes it out."""

    def has_account(self, account: str) -> bool:
        """Whether there is such an account."""

    def may_log_on_as_service(self, account: str) -> bool:
        """Whether the account has the right SeServiceLogonRight."""

    def let_log_on_as_service(self, account: str) -> None:
        """Gives it that right."""

    def events(self, name: str, most: int) -> Sequence[str]:
        """The last messages about the service in the system's event log, oldest first."""

    def fresh_environment(self) -> Mapping[str, str]:
        """The variables of the machine and of this account as a fresh log-on would have them, from the registry."""

"""The service control manager of Windows as the stand-ins have it: states, errors and rights like the real one's."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from paddock_agent.services import windows_control as windows
from paddock_agent.services.windows_control import Configuration, ServiceControl, ServiceError, Status

TEXTS = {
    windows.ACCESS_DENIED: "Access is denied",
    windows.FILE_NOT_FOUND: "The system cannot find the file specified",
    windows.SERVICE_ALREADY_RUNNING: "An instance of the service is already running",
    windows.INVALID_SERVICE_ACCOUNT: "The account name is invalid or does not exist, or the password is invalid for it",
    windows.SERVICE_DISABLED: "The service cannot be started, because it is disabled",
    windows.SERVICE_DOES_NOT_EXIST: "The specified service does not exist as an installed service",
    windows.SERVICE_NOT_ACTIVE: "The service has not been started",
    windows.SERVICE_LOGON_FAILED: "The service did not start due to a logon failure",
}
BUILT_IN = ("NT SERVICE\\", "NT AUTHORITY\\", "LocalSystem")


@dataclass
class Account:
    """An account of the machine. ``may_log_on`` is the right to log on as a service."""

    password: str
    may_log_on: bool = False


@dataclass
class _Service:
    configuration: Configuration
    password: str
    environment: Mapping[str, str]
    status: Status = field(default_factory=lambda: Status(windows.STOPPED, windows.SERVICE_NEVER_STARTED))


@dataclass
class SimulatedServiceControl(ServiceControl):
    """One host's. ``run_program`` starts a command line for an account, and returns an exit code if that ends at once;
    ``refuses_rights`` is a policy of the domain that takes back the right to log on as a service."""

    accounts: dict[str, Account]
    programs: Callable[[str], bool]
    run_program: Callable[[str, str, str], int | None]
    stop_program: Callable[[str], None]
    fresh: Mapping[str, str] = field(default_factory=dict)
    refuses_rights: bool = False
    services: dict[str, _Service] = field(default_factory=dict)
    log: dict[str, list[str]] = field(default_factory=dict)
    own: set[str] = field(default_factory=set)
    """Services that the machine came with."""

    def configuration(self, name: str) -> Configuration | None:
        """See the port."""
        return self.services[name].configuration if name in self.services else None

    def status(self, name: str) -> Status:
        """See the port."""
        return self._service(name).status

    def set_up(self, name: str, configuration: Configuration, password: str, environment: Mapping[str, str]) -> None:
        """See the port. As in Windows, a wrong password shows only at the next start; one that runs goes on."""
        if not self._is_built_in(configuration.account) and not self.has_account(configuration.account):
            raise _error(windows.INVALID_SERVICE_ACCOUNT)
        status = self.services[name].status if name in self.services else Status(windows.STOPPED)
        self.services[name] = _Service(configuration, password, environment, status)

    def start(self, name: str) -> None:
        """See the port."""
        service = self._service(name)
        if service.status.state == windows.RUNNING:
            raise _error(windows.SERVICE_ALREADY_RUNNING)
        if service.configuration.start == windows.DISABLED:
            raise _error(windows.SERVICE_DISABLED)
        if name in self.own:
            service.status = Status(windows.RUNNING, process=900)
            return
        if number := self._why_no_logon(service):
            raise self._fail(name, number)
        program = service.configuration.command.lstrip('"').partition(
            '"' if service.configuration.command[0] == '"' else " "
        )[0]
        if not self.programs(program):
            raise self._fail(name, windows.FILE_NOT_FOUND)
        service.status = Status(windows.RUNNING, process=1400 + len(self.log.get(name, ())))
        self._note(name, "entered the running state")
        code = self.run_program(name, service.configuration.command, service.configuration.account)
        if code is not None:
            self.ended(name, code)

    def _why_no_logon(self, service: _Service) -> int:
        account = service.configuration.account
        if self._is_built_in(account):
            return 0
        known = self.accounts.get(account.removeprefix(".\\"))
        if known is None or known.password != service.password or not known.may_log_on:
            return windows.SERVICE_LOGON_FAILED
        return 0

    def _fail(self, name: str, number: int) -> ServiceError:
        self._service(name).status = Status(windows.STOPPED, number)
        self._note(name, f"failed to start: {TEXTS[number]} ({number})")
        return _error(number)

    def ended(self, name: str, code: int) -> None:
        """The program of a service has ended with its own exit code."""
        if name in self.services:
            exit_ = windows.SERVICE_SPECIFIC_ERROR if code else 0
            self.services[name].status = Status(windows.STOPPED, exit_, code)
            self._note(
                name, f"terminated with the service-specific error {code}" if code else "entered the stopped state"
            )

    def stop(self, name: str) -> None:
        """See the port."""
        if self._service(name).status.state != windows.RUNNING:
            raise _error(windows.SERVICE_NOT_ACTIVE)
        if name not in self.own:
            self.stop_program(name)
        self._service(name).status = Status(windows.STOPPED)
        self._note(name, "entered the stopped state")

    def delete(self, name: str) -> None:
        """See the port."""
        self._service(name)
        del self.services[name]

    def set_service(self, name: str, running: str) -> None:
        """A service that the machine came with; it runs until it is stopped."""
        configuration = Configuration(f"C:\\Services\\{name}.exe", "LocalSystem", title=name)
        state = windows.RUNNING if running == "running" else windows.STOPPED
        self.services[name] = _Service(configuration, "", {}, Status(state))
        self.own.add(name)

    def boot(self) -> None:
        """The machine has started: services that start automatically do."""
        for name, service in self.services.items():
            service.status = Status(windows.STOPPED)
            if service.configuration.start == windows.AUTO_START:
                with contextlib.suppress(ServiceError):
                    self.start(name)

    def set_start(self, name: str, kind: str) -> None:
        """What a person does in the services console: ``kind`` is Automatic, Manual or Disabled."""
        service = self._service(name)
        kinds = {"Automatic": windows.AUTO_START, "Manual": windows.DEMAND_START, "Disabled": windows.DISABLED}
        service.configuration = replace(service.configuration, start=kinds.get(kind, windows.AUTO_START))

    def has_account(self, account: str) -> bool:
        """See the port."""
        return account.removeprefix(".\\") in self.accounts

    def may_log_on_as_service(self, account: str) -> bool:
        """See the port."""
        return self.has_account(account) and self.accounts[account.removeprefix(".\\")].may_log_on

    def let_log_on_as_service(self, account: str) -> None:
        """See the port."""
        self.accounts[account.removeprefix(".\\")].may_log_on = not self.refuses_rights

    def events(self, name: str, most: int) -> Sequence[str]:
        """See the port."""
        return self.log.get(name, [])[-most:]

    def fresh_environment(self) -> Mapping[str, str]:
        """See the port."""
        return self.fresh

    def _service(self, name: str) -> _Service:
        if name not in self.services:
            raise _error(windows.SERVICE_DOES_NOT_EXIST)
        return self.services[name]

    def _note(self, name: str, what: str) -> None:
        self.log.setdefault(name, []).append(f"The {name} service {what}.")

    def _is_built_in(self, account: str) -> bool:
        return account.startswith(BUILT_IN)


def _error(number: int) -> ServiceError:
    return ServiceError(number, TEXTS[number])

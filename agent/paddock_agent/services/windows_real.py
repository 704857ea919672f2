"""The real Windows behind ``windows_control``, through pywin32. Imported on Windows only."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, TypeVar

assert sys.platform == "win32"

import winreg

import pywintypes
import win32api
import win32evtlog
import win32evtlogutil
import win32security
import win32service
import win32serviceutil

from .windows_control import SERVICE_DOES_NOT_EXIST, Configuration, ServiceControl, ServiceError, Status

PATIENCE = 30
"""Seconds for a service to start or stop."""
LOGON_RIGHT = "SeServiceLogonRight"
MACHINE_ENVIRONMENT = r"SYSTEM\CurrentControlSet\Control\Session Manager\Environment"
NO_SUCH_RIGHT = 2

T = TypeVar("T")


@contextlib.contextmanager
def _reported_errors() -> Iterator[None]:
    """What Windows refuses is raised as ServiceError."""
    try:
        yield
    except pywintypes.error as error:
        raise ServiceError(error.winerror, error.strerror.strip().rstrip(".")) from None


def _with_service(name: str, access: int, do: Callable[[Any], T]) -> T:
    with _reported_errors():
        manager = win32service.OpenSCManager(None, None, win32service.SC_MANAGER_CONNECT)
        try:
            service = win32service.OpenService(manager, name, access)
            try:
                return do(service)
            finally:
                win32service.CloseServiceHandle(service)
        finally:
            win32service.CloseServiceHandle(manager)


class RealServiceControl(ServiceControl):
    """This machine."""

    def configuration(self, name: str) -> Configuration | None:
        """See the port."""
        try:
            found = _with_service(name, win32service.SERVICE_QUERY_CONFIG, win32service.QueryServiceConfig)
        except ServiceError as error:
            if error.number == SERVICE_DOES_NOT_EXIST:
                return None
            raise
        return Configuration(command=found[3], account=found[7], start=found[1], title=found[8])

    def status(self, name: str) -> Status:
        """See the port."""
        status: Any = _with_service(name, win32service.SERVICE_QUERY_STATUS, win32service.QueryServiceStatusEx)
        return Status(
            status["CurrentState"], status["Win32ExitCode"], status["ServiceSpecificExitCode"], status["ProcessId"]
        )

    def set_up(self, name: str, configuration: Configuration, password: str, environment: Mapping[str, str]) -> None:
        """See the port."""
        account = None if configuration.account == "LocalSystem" else configuration.account
        with _reported_errors():
            manager = win32service.OpenSCManager(None, None, win32service.SC_MANAGER_ALL_ACCESS)
            try:
                if self.configuration(name) is None:
                    service = win32service.CreateService(
                        manager, name, configuration.title, win32service.SERVICE_ALL_ACCESS,
                        win32service.SERVICE_WIN32_OWN_PROCESS, configuration.start,
                        win32service.SERVICE_ERROR_NORMAL, configuration.command, None, False, None, account,
                        password or None,
                    )  # fmt: skip
                else:
                    service = win32service.OpenService(manager, name, win32service.SERVICE_ALL_ACCESS)
                    win32service.ChangeServiceConfig(
                        service, win32service.SERVICE_WIN32_OWN_PROCESS, configuration.start,
                        win32service.SERVICE_ERROR_NORMAL, configuration.command, None, False, None, account,
                        password or None, configuration.title,
                    )  # fmt: skip
                try:
                    self._complete(service, configuration)
                finally:
                    win32service.CloseServiceHandle(service)
            finally:
                win32service.CloseServiceHandle(manager)
            key = winreg.CreateKey(winreg.HKEY_LOCAL_MACHINE, rf"SYSTEM\CurrentControlSet\Services\{name}")
            listed = [f"{variable}={value}" for variable, value in environment.items()]
            winreg.SetValueEx(key, "Environment", 0, winreg.REG_MULTI_SZ, listed)

    def _complete(self, service: Any, configuration: Configuration) -> None:
        """What CreateService has no arguments for: description, recovery, and recovery after an exit with an error."""
        change = win32service.ChangeServiceConfig2
        change(service, win32service.SERVICE_CONFIG_DESCRIPTION, configuration.description)
        actions = [(win32service.SC_ACTION_RESTART, seconds * 1000) for seconds in configuration.restart_after]
        recovery = {"ResetPeriod": 24 * 3600, "RebootMsg": "", "Command": "", "Actions": actions}
        change(service, win32service.SERVICE_CONFIG_FAILURE_ACTIONS, recovery)
        change(service, win32service.SERVICE_CONFIG_FAILURE_ACTIONS_FLAG, True)

    def start(self, name: str) -> None:
        """See the port."""
        with _reported_errors():
            win32serviceutil.StartService(name)
            win32serviceutil.WaitForServiceStatus(name, win32service.SERVICE_RUNNING, PATIENCE)

    def stop(self, name: str) -> None:
        """See the port."""
        with _reported_errors():
            win32serviceutil.StopService(name)
            win32serviceutil.WaitForServiceStatus(name, win32service.SERVICE_STOPPED, PATIENCE)

    def delete(self, name: str) -> None:
        """See the port."""
        _with_service(name, 0x10000, win32service.DeleteService)  # DELETE, a standard access right

    def has_account(self, account: str) -> bool:
        """See the port."""
        try:
            win32security.LookupAccountName(None, _plain(account))
        except pywintypes.error:
            return False
        return True

    def may_log_on_as_service(self, account: str) -> bool:
        """See the port. Only a right of the account's own is seen: giving it once more to one that has it by a group is
        harmless."""
        with _reported_errors():
            policy = win32security.LsaOpenPolicy("", win32security.POLICY_LOOKUP_NAMES)
            holders = win32security.LsaEnumerateAccountsWithUserRight(policy, LOGON_RIGHT)
            sid = win32security.LookupAccountName(None, _plain(account))[0]
            return any(holder == sid for holder in holders)

    def let_log_on_as_service(self, account: str) -> None:
        """See the port."""
        with _reported_errors():
            policy = win32security.LsaOpenPolicy(
                "", win32security.POLICY_CREATE_ACCOUNT | win32security.POLICY_LOOKUP_NAMES
            )
            sid = win32security.LookupAccountName(None, _plain(account))[0]
            win32security.LsaAddAccountRights(policy, sid, (LOGON_RIGHT,))

    def events(self, name: str, most: int) -> Sequence[str]:
        """See the port: the service control manager writes into the log System."""
        with _reported_errors():
            log = win32evtlog.OpenEventLog(None, "System")
            found: list[str] = []
            flags = win32evtlog.EVENTLOG_BACKWARDS_READ | win32evtlog.EVENTLOG_SEQUENTIAL_READ
            try:
                for event in win32evtlog.ReadEventLog(log, flags, 0):
                    if event.SourceName == "Service Control Manager" and name in (event.StringInserts or ()):
                        found.append(win32evtlogutil.SafeFormatMessage(event, "System").strip())
            finally:
                win32evtlog.CloseEventLog(log)
            return found[:most][::-1]

    def fresh_environment(self) -> Mapping[str, str]:
        """See the port. A person's PATH is added to the machine's, as at a log-on."""
        fresh: dict[str, str] = {}
        places = ((winreg.HKEY_LOCAL_MACHINE, MACHINE_ENVIRONMENT), (winreg.HKEY_CURRENT_USER, "Environment"))
        for root, path in places:
            with contextlib.suppress(OSError), winreg.OpenKey(root, path) as key:
                for index in range(winreg.QueryInfoKey(key)[1]):
                    name, value, kind = winreg.EnumValue(key, index)
                    text = win32api.ExpandEnvironmentStrings(value) if kind == winreg.REG_EXPAND_SZ else str(value)
                    earlier = next((known for known in fresh if known.upper() == name.upper()), name)
                    is_path = name.upper() == "PATH" and earlier in fresh
                    fresh[earlier] = f"{fresh[earlier]};{text}" if is_path else text
        return fresh


def _plain(account: str) -> str:
    """``.\\name`` is how services write an account of this machine; look-ups want the bare name."""
    return account.removeprefix(".\\")

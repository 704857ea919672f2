"""The agent as the process of a Windows service: it answers the service control manager. Imported on Windows only."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import servicemanager
import win32service
import win32serviceutil

from .windows_control import SERVICE_SPECIFIC_ERROR


def run_as_service(name: str, work: Callable[[], int], stop: Callable[[], None]) -> None:
    """Hands this process to the service control manager, which calls back; returns when the service has ended.

    ``work`` runs the agent and returns its exit code; ``stop`` makes it return, and is called in another thread.
    """

    class AgentService(win32serviceutil.ServiceFramework):
        _svc_name_ = name
        _svc_display_name_ = name

        def SvcStop(self) -> None:
            self.ReportServiceStatus(win32service.SERVICE_STOP_PENDING)
            stop()

        def SvcRun(self) -> None:
            self.ReportServiceStatus(win32service.SERVICE_RUNNING)
            code = work()
            # Reported as the service's own code, so that the recovery actions count an error as a failure.
            error = SERVICE_SPECIFIC_ERROR if code else 0
            self.ReportServiceStatus(win32service.SERVICE_STOPPED, win32ExitCode=error, svcExitCode=code)

        def __init__(self, arguments: Sequence[str]) -> None:
            super().__init__(arguments)

    servicemanager.Initialize(name, None)
    servicemanager.PrepareToHostSingle(AgentService)
    servicemanager.StartServiceCtrlDispatcher()  # type: ignore[no-untyped-call]

"""How the agent is kept running: a service of the host's own service manager, behind one port."""

from ..system import System
from .diagnosis import Diagnosis, diagnose
from .launchd import Launchd
from .port import Cause, Definition, OnDemand, Repeated, ServiceManager, ServiceState, Trouble
from .systemd import Systemd
from .windows import WindowsServices

__all__ = [
    "Cause",
    "Definition",
    "Diagnosis",
    "Launchd",
    "OnDemand",
    "Repeated",
    "ServiceManager",
    "ServiceState",
    "Systemd",
    "Trouble",
    "WindowsServices",
    "diagnose",
    "manager_of",
]


def manager_of(system: System) -> ServiceManager:
    """The service manager of the host's family, whether it is at work there or not."""
    match system.family:
        case "linux":
            return Systemd(system)
        case "macos":
            return Launchd(system)
        case "windows":
            return WindowsServices(system, system.service_control())

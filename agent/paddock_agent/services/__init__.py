"""How the agent is kept running: a service of the host's own service manager, behind one port."""

from .diagnosis import Diagnosis, diagnose
from .port import Definition, ServiceManager, ServiceState
from .systemd import Systemd

__all__ = ["Definition", "Diagnosis", "ServiceManager", "ServiceState", "Systemd", "diagnose"]

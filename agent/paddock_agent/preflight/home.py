"""``python -m paddock_agent.preflight.home PREFIX``: the agent's own folder, for the bring-up scripts."""

from __future__ import annotations

import sys

from ..system.real import RealSystem
from .plan import HOMES

if __name__ == "__main__":
    system = RealSystem()
    print(HOMES[system.family] if system.is_privileged() else f"{sys.argv[1]}/home")

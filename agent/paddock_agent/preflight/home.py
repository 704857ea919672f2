"""``python -m paddock_agent.preflight.home PREFIX``: the agent's own folder, for the bring-up scripts."""

from __future__ import annotations

import sys

from ..system.real import RealSystem
from .plan import home_for

if __name__ == "__main__":
    print(home_for(RealSystem(), sys.argv[1]))

"""The preflight: what a machine must have before anything is installed on it, each check with its remedy.

Needs nothing but Python: the bring-up scripts run it from the agent's package as it was downloaded, before it is
installed. So nothing here, and nothing that this imports, may use another package.
"""

from .checks import machine_checks
from .outcome import Check, Mark, is_fit, verdict
from .plan import Plan
from .server_checks import server_checks

__all__ = ["Check", "Mark", "Plan", "is_fit", "machine_checks", "preflight", "server_checks", "verdict"]

from ..system import System


async def preflight(system: System, plan: Plan) -> list[Check]:
    """All checks, in the order in which a person would mend them."""
    return [*await machine_checks(system, plan), *server_checks(plan, system)]

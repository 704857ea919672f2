"""Redfish: the machine's controller switches it on. It also tells what the machine draws, and can switch off one that
hangs; only a person asks for that."""

from __future__ import annotations

from .controller_client import ControllerClient, ControllerRefused, ControllerTrouble
from .port import Controller, Target, Tried

ON, OFF = "On", "Off"


class Redfish:
    def wake(self, target: Target) -> Tried:
        """See the port."""
        if target.controller is None:
            return Tried(("The address of its controller is not entered. Enter it on its sheet.",))
        try:
            with ControllerClient(target.controller) as client:
                state = client.power_state()
                if state == ON:
                    return Tried(
                        (
                            f"The controller reports that {target.host} is on, but its agent is not connected. Look at "
                            "its screen; if it hangs, switch it off by its controller and wake it again.",
                        )
                    )
                client.reset(ON)
                return Tried((f"The controller reported {state}, and accepted the order to switch it on.",))
        except ControllerRefused as error:
            return Tried((str(error),), refused=str(error))
        except ControllerTrouble as error:
            return Tried((str(error),))


def switch_off(controller: Controller) -> str:
    """Cuts the power without waiting for the system. Returns what was done. Raises ControllerTrouble."""
    with ControllerClient(controller) as client:
        state = client.power_state()
        if state == OFF:
            return "The controller reported that it was off already."
        client.reset("ForceOff")
        return f"The controller reported {state}, and accepted the order to switch it off."


def reading(controller: Controller) -> tuple[str, float | None]:
    """The power state, and the watts that the machine draws now. Raises ControllerTrouble."""
    with ControllerClient(controller) as client:
        return client.power_state(), client.watts()

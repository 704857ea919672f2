"""Cuts the power of a host that hangs: allowed first, then asked of its controller outside the writer, then noted."""

from __future__ import annotations

from ..errors import NotNow
from ..hosts.models import Host
from ..people.actor import Actor
from .actions.controller import ask_switch_off, note_controller_refused, note_switched_off
from .ways.controller_client import ControllerRefused, ControllerTrouble
from .ways.redfish import switch_off


def switch_host_off(actor: Actor, host: Host) -> None:
    """Raises NotAllowed; and NotNow with what the controller answered where it did not do it."""
    controller = ask_switch_off(actor, host)
    try:
        done = switch_off(controller)
    except ControllerRefused as error:
        note_controller_refused(host, str(error))
        raise NotNow(str(error)) from None
    except ControllerTrouble as error:
        raise NotNow(str(error)) from None
    host.refresh_from_db()
    note_switched_off(host, done, actor)

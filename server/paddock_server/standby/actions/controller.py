"""What the controllers of hosts are asked for besides waking, and what they answered."""

from __future__ import annotations

from collections.abc import Mapping

from django.utils import timezone

from paddock_core.link_state import Link
from paddock_core.standby.power import Power, PowerEvent

from ...changes import announce
from ...errors import NotNow
from ...health import watches
from ...health.actions.note_power import note_power
from ...health.models import Health
from ...hosts.actions.hold import is_working
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import PowerSettings
from ..targets import controller_of
from ..ways.port import Controller


@action
@requires(Role.OPERATOR, "Switching hosts off by their controllers", of="host.paddock.name")
def ask_switch_off(actor: Actor, host: Host) -> Controller:
    """A person wants a host off that hangs. Writes that down; the caller asks the controller. Raises NotNow where there
    is none, or where the host works and answers."""
    chosen = PowerSettings.objects.filter(host=host).first()
    controller = controller_of(chosen) if chosen else None
    if controller is None:
        raise NotNow(f"The controller of {host.name} is not entered.")
    if host.standing != Host.Standing.ADMITTED or host.power == Power.ASLEEP.value:
        raise NotNow(f"{host.name} is {host.power if host.standing == Host.Standing.ADMITTED else host.standing}.")
    if host.link == Link.CONNECTED and is_working(host):
        raise NotNow(f"{host.name} is connected and runs a job, or one is offered to it. It does not hang.")
    write(actor, "asked the controller to switch off", "host", host.name, host.paddock.name)
    return controller


@action
def note_switched_off(host: Host, what: str, by: Actor) -> None:
    """Its controller did it: it sleeps, and what was found of its power is over."""
    note_power(host, PowerEvent.FORCED_OFF, f"{by.name} asked for it. {what}", by)
    watches.remove_power_order(host.pk)
    Health.objects.filter(host=host).update(power_evidence=[], down_failed="")


@action
def note_controller_refused(host: Host, why: str) -> None:
    """From now on nothing is sent to its controller."""
    if PowerSettings.objects.filter(host=host, refused="").update(refused=why[:300]):
        write(SERVER, "was refused by the controller of", "host", host.name, host.paddock.name, {"why": why[:300]})
        announce("host", host.name, host.paddock.name)


@action
def note_measured(host: Host, values: Mapping[str, float]) -> None:
    """What its controller measured, in watts by the name of the field; nothing where it could not, and is asked again
    in an hour."""
    PowerSettings.objects.filter(host=host).update(**values, measured_at=timezone.now())
    announce("host", host.name, host.paddock.name)

"""Powers a host down: its watch gets a signed order, and its agent says goodbye."""

from __future__ import annotations

from django.utils import timezone

from paddock_agent import wire
from paddock_core.link_state import Link
from paddock_core.standby.power import Power, PowerEvent

from ...changes import announce
from ...errors import NotNow
from ...health import watches
from ...health.actions.note_power import note_power
from ...health.events import PowerDownRefused
from ...health.models import Health
from ...hosts.actions.hold import is_working
from ...hosts.models import Host
from ...people.actor import SERVER, Actor
from ...people.permission import checks_itself
from ...process import connections
from ...storage import action
from ..models import PowerSettings
from .wake import demand_waker

PROTOCOL = 7
"""The version of the link since which an agent powers its host down."""


@action
@checks_itself("a policy says which role it takes")
def power_down(actor: Actor, host: Host) -> None:
    """A person wants it to sleep now. Raises NotNow where it cannot."""
    demand_waker(actor, "Powering hosts down", host)
    begin_power_down(host, f"{actor.name} asked for it.", actor)


@action
def begin_power_down(host: Host, why: str, by: Actor = SERVER) -> None:
    """From now on it gets no jobs, and goes. Raises NotNow with what is in the way. All of that is looked at here, in
    the writer: no job can be offered in between."""
    if trouble := why_it_stays(host):
        raise NotNow(trouble)
    change = note_power(host, PowerEvent.DOWN_ORDERED, why, by)
    if change is None:
        raise NotNow(f"{host.name} is {host.power}.")
    Health.objects.filter(host=host).update(
        power_evidence=[{"what": f"The server ordered it to power down. {why}", "at": timezone.now().timestamp()}],
        down_failed="",
    )
    watches.add_power_order(host.pk, change.pk)
    connections.send_since(PROTOCOL, host.pk, wire.PowerDown())


def why_it_stays(host: Host) -> str:
    """What keeps a host from powering down now, "" for nothing."""
    if host.standing != Host.Standing.ADMITTED or host.link != Link.CONNECTED or host.power != Power.ON.value:
        return f"{host.name} is not on and connected."
    if not PowerSettings.objects.filter(host=host, may_power_down=True).exists():
        return f"The server may not power {host.name} down. An administrator can allow it on its sheet."
    if not connections.speaks(host.pk, PROTOCOL):
        return f"The agent of {host.name} is too old to power it down. Upgrade it."
    health = Health.objects.filter(host=host).first()
    if not host.watch_digest or health is None or not health.report:
        return f"{host.name} has no watch, and only the watch can power it down. Run there: paddock-agent watch install"
    if is_working(host):
        return f"{host.name} runs a job, or one is offered to it."
    if watches.order_for(host.pk):
        return f"The agent of {host.name} is being upgraded."
    return ""


@action
def give_up_power_down(host: Host) -> None:
    """It was ordered to go, and is still there."""
    _stays_on(host, PowerEvent.DOWN_OVERDUE, "Its watch did not carry the order out.")


@action
def follow_refusal(event: PowerDownRefused) -> None:
    """Its watch says why it does not go."""
    _stays_on(event.host, PowerEvent.DOWN_REFUSED, event.why)


def _stays_on(host: Host, seen: PowerEvent, why: str) -> None:
    watches.remove_power_order(host.pk)
    if note_power(host, seen, why if seen is PowerEvent.DOWN_REFUSED else "") is None:
        return
    Health.objects.filter(host=host).update(down_failed=why[:300])
    announce("host", host.name, host.paddock.name)

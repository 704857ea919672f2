"""What the power of a host follows of its link; written within the action that notes it."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.link_state import LinkEvent
from paddock_core.standby.power import Power, PowerEvent

from ...health import watches
from ...health.actions.note_power import note_power
from ...health.events import LinkSeen
from ...health.models import Health
from ...storage import action
from ..models import PowerSettings, Wake
from .run_wake_script import cancel_wake_script

_MEANS = {
    LinkEvent.HELLO: PowerEvent.CONNECTED,
    LinkEvent.SHUTDOWN: PowerEvent.SHUT_DOWN,
    LinkEvent.GOODBYE: PowerEvent.WENT_AWAY,
    LinkEvent.SOCKET_CLOSED: PowerEvent.WENT_AWAY,
    LinkEvent.SILENCE: PowerEvent.WENT_AWAY,
}


@action
def follow_link(event: LinkSeen) -> None:
    """A host that was ordered to go and is gone sleeps; one that connects is on. Where the server never powers a host
    down, anybody may switch it off, and nothing is noted here."""
    host, seen = event.host, _MEANS.get(event.seen)
    if seen is None:
        return
    is_managed = PowerSettings.objects.filter(host=host, may_power_down=True).exists()
    if seen is PowerEvent.SHUT_DOWN and host.power == Power.ON.value and not is_managed:
        return
    if note_power(host, seen) is None:
        return
    watches.remove_power_order(host.pk)
    if host.power == Power.ON.value:
        if Wake.objects.filter(host=host, ended_at=None).update(ended_at=timezone.now(), worked=True):
            cancel_wake_script(host.name)
        Health.objects.filter(host=host).update(power_evidence=[], down_failed="")

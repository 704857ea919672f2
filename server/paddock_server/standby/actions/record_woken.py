"""What a neighbour says of a magic packet that it was asked to send."""

from __future__ import annotations

from paddock_agent import wire

from ...hosts.models import Host
from ...storage import action
from ..models import Wake
from .wake import note_relayed


@action
def record_woken(host: Host, message: wire.Woken) -> None:
    """``host`` is the neighbour. A wake that is over needs no more evidence."""
    row = Wake.objects.filter(pk=message.wake, ended_at=None).select_related("host__paddock").first()
    if row is not None:
        done = f"could not send it: {message.why}" if message.why else "sent it."
        note_relayed(row, f"{host.name} {done}"[:300])

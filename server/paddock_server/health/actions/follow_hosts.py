"""What the record of a host's health follows of what is done to the host; written within that action."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.link_state import LinkEvent

from ...hosts.models import Host
from ...storage import action
from .. import watches
from ..models import HoldChange
from .note_link import note_link


@action
def follow_end_of_keys(host: Host) -> None:
    """Its link ends, and no report of its watch counts any more."""
    watches.forget(host.pk)
    note_link(host, LinkEvent.KEY_REVOKED)


def follow_watch_key(host: Host) -> None:
    """The older watch reports no more."""
    watches.forget(host.pk)


@action
def follow_hold(host: Host) -> None:
    """Writes down from when on it was held, drained or resumed."""
    HoldChange.objects.create(host=host, at=timezone.now(), holding=host.holding)

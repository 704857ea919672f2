"""Notes what the server saw of a host's link; a change is kept with its cause."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.link_state import Link, LinkEvent, link_after

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ...work import dispatcher
from ..events import LinkSeen, link_seen
from ..models import LinkChange


@action
def note_link(host: Host, seen: LinkEvent, detail: str = "") -> None:
    """Changes the link if ``seen`` does, writes it down, tells the feed. ``detail`` is added to the cause."""
    change = link_after(Link(host.link), seen)
    if change is None:
        return
    cause = (change.cause + detail)[:300]
    host.link, host.link_cause, host.link_since = change.state.value, cause, timezone.now()
    host.save(update_fields=["link", "link_cause", "link_since"])
    link_seen.send(LinkSeen(host, seen))
    LinkChange.objects.create(host=host, at=host.link_since, state=change.state.value, cause=cause)
    write(SERVER, f"noted as {change.state}", "host", host.name, host.paddock.name, {"cause": cause})
    announce("host", host.name, host.paddock.name)
    dispatcher.wake_after_commit()

"""Makes the key of a host's watch, which may report and nothing else; an older one dies."""

from __future__ import annotations

from ... import secret
from ...logbook.write import write
from ...people.actor import agent_of
from ...storage import action
from ..events import watch_key_changed
from ..models import Host


@action
def make_watch_key(host: Host) -> str:
    """The key, shown this once."""
    key = secret.make("watch")
    host.watch_digest = secret.digest(key)
    host.save(update_fields=["watch_digest"])
    watch_key_changed.send(host)
    write(agent_of(host.name), "set up the watch of", "host", host.name, host.paddock.name)
    return key

"""Notes that a host sent what cannot be. At most once a minute for each kind: a host must not fill the database."""

from __future__ import annotations

import time

from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from .. import looking
from ..models import Health

AT_MOST_EVERY = 60.0
LOGGED_EVERY = 3600.0


@action
def note_strange(host: Host, kind: str, sentence: str) -> None:
    """``kind`` is one of hurried, absurd, watch, clone."""
    health, _ = Health.objects.get_or_create(host=host)
    now = time.time()
    last = health.strange.get(kind, {"at": 0.0, "logged": 0.0})
    if now - last["at"] < AT_MOST_EVERY and last.get("sentence"):
        return
    logged = last["logged"]
    if now - logged >= LOGGED_EVERY:
        logged = now
        write(
            SERVER, "noted something strange from", "host", host.name, host.paddock.name, {"sentence": sentence[:300]}
        )
    health.strange = {**health.strange, kind: {"at": now, "sentence": sentence[:500], "logged": logged}}
    health.save(update_fields=["strange"])
    looking.stir(host.name)

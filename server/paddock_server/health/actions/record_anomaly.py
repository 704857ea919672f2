"""Records that a host sent invalid data; at most once per minute and kind, so that a host cannot fill the database."""

from __future__ import annotations

import time

from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from .. import reevaluation
from ..models import Health

MIN_INTERVAL_SECONDS = 60.0
LOG_INTERVAL_SECONDS = 3600.0


@action
def record_anomaly(host: Host, kind: str, sentence: str) -> None:
    """``kind`` is one of rate_limited, invalid_reading, watch, clone."""
    health, _ = Health.objects.get_or_create(host=host)
    now = time.time()
    last = health.anomalies.get(kind, {"at": 0.0, "logged": 0.0})
    if now - last["at"] < MIN_INTERVAL_SECONDS and last.get("sentence"):
        return
    logged = last["logged"]
    if now - logged >= LOG_INTERVAL_SECONDS:
        logged = now
        write(
            SERVER, "noted something anomalies from", "host", host.name, host.paddock.name, {"sentence": sentence[:300]}
        )
    health.anomalies = {**health.anomalies, kind: {"at": now, "sentence": sentence[:500], "logged": logged}}
    health.save(update_fields=["anomalies"])
    reevaluation.mark_dirty(host.name)

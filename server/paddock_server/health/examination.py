"""The last examination of a host, as text for people."""

from __future__ import annotations

import msgspec

from paddock_agent import wire

from ..hosts.models import Host
from . import watches
from .models import Health


def examination(host: Host) -> dict[str, object]:
    """When it was, the doctor's report with the raw evidence ("" where there was none), and whether a new one is
    asked for."""
    health = Health.objects.filter(host=host).first()
    text = ""
    if health and health.evidence:
        evidence = msgspec.convert(health.evidence, wire.Evidence)
        text = wire.bundle(evidence, wire.diagnose_evidence(evidence))
    at = health.examined_at if health else None
    return {"at": at, "text": text, "is_asked": watches.is_asked(host.pk)}

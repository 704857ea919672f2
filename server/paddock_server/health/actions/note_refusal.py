"""Notes which versions of the agent did not stay on a host, until one is proven there."""

from __future__ import annotations

from django.utils import timezone

from ...hosts.models import Host
from ...storage import action
from .. import reevaluation
from ..models import Health

MAX_REFUSED = 10


@action
def note_refusal(host: Host, version: str, why: str, *, proven: bool = False) -> None:
    """``version`` went back on the host; or, with "" and ``proven``, one stayed."""
    if not version and not proven:
        return
    health, _ = Health.objects.select_for_update().get_or_create(host=host)
    refused = [] if proven else [*health.refused_versions, _refusal(version, why)]
    health.refused_versions = refused[-MAX_REFUSED:]
    health.save(update_fields=["refused_versions"])
    reevaluation.mark_dirty(host.name)


def _refusal(version: str, why: str) -> dict[str, object]:
    return {"version": version, "at": timezone.now().timestamp(), "why": why[:500]}

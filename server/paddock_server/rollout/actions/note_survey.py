"""Notes a survey that belongs to the proof of a new version."""

from __future__ import annotations

from django.utils import timezone

from paddock_core.rollout import HostStep

from ...hosts.models import Host
from ...storage import action
from ..candidates import version_of
from ..models import RolloutHost


@action
def note_survey(host: Host) -> None:
    """A survey of another version than the ordered one proves nothing."""
    rows = RolloutHost.objects.filter(host=host, step=HostStep.SWITCHED.value, surveyed_at=None)
    rows.filter(version=version_of(host)).update(surveyed_at=timezone.now())

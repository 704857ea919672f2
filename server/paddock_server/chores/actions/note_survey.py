"""Notes that the survey came which is to prove a chore: one that began after its script was over."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from ...hosts.models import Host
from ...storage import action
from ..models import ChoreHost


@action
def note_survey(host: Host, marks: Sequence[str]) -> None:
    """``marks`` are those of the requests that it answers; others than a chore's are passed over."""
    if not marks:
        return
    for row in ChoreHost.objects.filter(host=host, ended_at=None, surveyed_at=None).exclude(asked_at=None):
        if row.mark in marks:
            ChoreHost.objects.filter(pk=row.pk).update(surveyed_at=timezone.now())

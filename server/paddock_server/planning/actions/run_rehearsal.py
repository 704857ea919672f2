"""What the server notes of a rehearsal while it runs. No person does this, so the logbook has no lines for it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.utils import timezone

from ...changes import announce
from ...storage import action
from ..models import Rehearsal, RehearsalState


@action
def begin_rehearsal(rehearsal: Rehearsal, input_hash: str) -> None:
    """It runs now."""
    _note(rehearsal, state=RehearsalState.RUNNING.value, started_at=timezone.now(), input_hash=input_hash,
          progress=0.0, seconds_left=None)  # fmt: skip


@action
def note_progress(rehearsal: Rehearsal, share: float) -> bool:
    """Returns whether it is still wanted."""
    row = Rehearsal.objects.filter(pk=rehearsal.pk).first()
    if row is None or row.state != RehearsalState.RUNNING.value:
        return False
    took = (timezone.now() - row.started_at).total_seconds() if row.started_at else 0.0
    left = took * (1 - share) / share if share > 0.02 else None
    _note(rehearsal, progress=share, seconds_left=left)
    return True


@action
def finish_rehearsal(rehearsal: Rehearsal, result: dict[str, Any]) -> None:
    """It has an answer."""
    _note(rehearsal, state=RehearsalState.DONE.value, result=result, progress=1.0, seconds_left=None,
          ended_at=timezone.now())  # fmt: skip


@action
def fail_rehearsal(rehearsal: Rehearsal, detail: str) -> None:
    """It has none."""
    _note(rehearsal, state=RehearsalState.FAILED.value, detail=detail[:1000], ended_at=timezone.now())


@action
def restart_rehearsals() -> None:
    """After a restart of the server, what ran starts from its beginning."""
    Rehearsal.objects.filter(state=RehearsalState.RUNNING.value).update(state=RehearsalState.WAITING.value)


@action
def ask_outlook(fields: dict[str, Any]) -> None:
    """The server's own question: when does the work outgrow the fleet. Earlier outlooks make way."""
    Rehearsal.objects.filter(is_outlook=True, asked_at__lt=timezone.now() - timedelta(days=40)).delete()
    Rehearsal.objects.create(is_outlook=True, asked_by="the server", asked_at=timezone.now(), **fields)


def _note(rehearsal: Rehearsal, **fields: Any) -> None:
    """Changes it unless it was cancelled or removed."""
    open_one = Rehearsal.objects.filter(pk=rehearsal.pk).exclude(state=RehearsalState.CANCELLED.value)
    if open_one.update(**fields):
        announce("rehearsal", rehearsal.pk)

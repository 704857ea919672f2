"""A span for each attempt that has ended."""

from __future__ import annotations

from django.db import transaction

from ..process.tracing import is_tracing, note_span
from .models import Attempt


def trace_attempt(attempt: Attempt) -> None:
    """From its offer to its end, once that is on the disk."""
    if not is_tracing():
        return
    job = attempt.job
    attributes: dict[str, str | float] = {
        "paddock.attempt": f"{job.pk}-{attempt.number}", "paddock.job.name": job.name, "paddock.pipeline": job.pipeline,
        "paddock.host": attempt.host.name, "paddock.state": attempt.state,
        "paddock.waited_seconds": max(0.0, (attempt.offered_at - job.submitted_at).total_seconds()),
    }  # fmt: skip
    started_at, ended_at = attempt.offered_at, attempt.ended_at or attempt.offered_at
    transaction.on_commit(lambda: note_span("attempt", started_at, ended_at, attributes))

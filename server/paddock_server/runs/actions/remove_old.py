"""Removes the logs and files of runs that their paddocks no longer keep. What is known of the runs themselves stays."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ...work.models import Attempt
from .. import log_store
from ..models import remove_outputs

AT_A_TIME = 500


def retained_until(attempt: Attempt) -> datetime | None:
    """When the log and the files of an attempt are to be removed; None while it runs, and where they always stay."""
    days = attempt.host.paddock.keep_days
    return attempt.ended_at + timedelta(days=days) if attempt.ended_at and days else None


def old_runs(now: datetime) -> list[tuple[Paddock, list[Attempt]]]:
    """Those that are to be removed, by paddock: of each the oldest, at most AT_A_TIME."""
    found = []
    for paddock in Paddock.objects.filter(keep_days__gt=0):
        ended = Attempt.objects.filter(
            host__paddock=paddock, removed_at=None, ended_at__lt=now - timedelta(days=paddock.keep_days)
        )
        if attempts := list(ended.order_by("ended_at")[:AT_A_TIME]):
            found.append((paddock, attempts))
    return found


def remove_files(attempts: Sequence[Attempt]) -> None:
    """Touches no database: many files take their time, and others wait for that."""
    for attempt in attempts:
        log_store.remove(attempt.log_file)
        remove_outputs(attempt)


@action
def note_removed(paddock: Paddock, attempts: Sequence[Attempt], now: datetime) -> None:
    """Called once the files are gone: until then they are tried again."""
    Attempt.objects.filter(pk__in=[one.pk for one in attempts]).update(removed_at=now)
    write(
        SERVER,
        "removed old runs",
        "paddock",
        paddock.name,
        paddock.name,
        {"runs": len(attempts), "older_than_days": paddock.keep_days},
    )

"""Removes the log and the files of runs from the disk; what is known of the runs stays."""

from __future__ import annotations

from collections.abc import Sequence

from ..work.models import Attempt
from . import log_store
from .models import remove_outputs


def remove_files(attempts: Sequence[Attempt]) -> None:
    """Touches no database: many files take their time, and others wait for that."""
    for attempt in attempts:
        log_store.remove(attempt.log_file)
        remove_outputs(attempt)

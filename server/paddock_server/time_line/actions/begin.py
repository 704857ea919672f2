"""Begins a new time line, in which no job number of an earlier one is used again."""

from __future__ import annotations

import secrets

from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action, on_rollback
from ..beside import highest_logged_job, read_beside
from ..identity import forget_line
from ..models import TimeLine
from ..numbers import highest_used_job, start_numbers_after
from .mark import mark

UNSEEN_JOBS = 10_000
"""Numbers that may have been used after the last mark: more than a server can give out until the next one."""
ROUNDED_TO = 1_000


@action
def begin_time_line(why: str, highest_job: int = 0) -> TimeLine:
    """``highest_job`` is the highest known number, beside those in files and database."""
    beside = read_beside()
    seen_elsewhere = max(highest_job, highest_logged_job(), beside.jobs if beside else 0)
    is_first = not TimeLine.objects.exists() and seen_elsewhere <= highest_used_job()
    used = max(seen_elsewhere, highest_used_job())
    line = TimeLine.objects.create(identity=secrets.token_hex(16), why=why[:400], mark=secrets.token_hex(16))
    forget_line()
    on_rollback(forget_line)
    if used and not is_first:
        start_numbers_after((used + UNSEEN_JOBS) // ROUNDED_TO * ROUNDED_TO)
    write(SERVER, "began", "time line", line.identity, details={"why": why[:400]})
    mark(line)
    return line

"""Looks, before the server serves, whether its database was set back to an earlier state."""

from __future__ import annotations

from ..beside import highest_logged_job, read_beside
from ..identity import current_time_line
from ..models import TimeLine
from ..numbers import highest_used_job
from .begin import begin_time_line
from .mark import mark


def check_time_line() -> TimeLine:
    """The present time line: the one before where the database goes on from where it was, else a new one."""
    line = current_time_line()
    beside, logged = read_beside(), highest_logged_job()
    if line is None and (beside or logged > highest_used_job()):
        return begin_time_line("The database is from before this server first served it: it was restored.")
    if line is None:
        return begin_time_line("This database is served for the first time.")
    if beside is None:
        return begin_time_line("The file time-line.json is missing beside the database: this is a copy of it.")
    if beside.mark not in (line.mark, line.previous_mark):
        return begin_time_line("The database is older than the file time-line.json beside it: it was restored.")
    if logged > highest_used_job():
        return begin_time_line(f"There is a log of job {logged}, which the database does not know: it was restored.")
    mark(line)
    return line

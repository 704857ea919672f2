"""The numbers of jobs: SQLite counts them up and never gives one out twice, until its file is set back."""

from __future__ import annotations

from django.db import connection

JOBS = "work_job"
"""The table of the jobs."""


def highest_used_job() -> int:
    """The highest job number that this database ever gave out; 0 without any."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT seq FROM sqlite_sequence WHERE name = %s", [JOBS])
        row = cursor.fetchone()
    return int(row[0]) if row else 0


def start_numbers_after(number: int) -> None:
    """The next job has a number above this one."""
    with connection.cursor() as cursor:
        cursor.execute("UPDATE sqlite_sequence SET seq = max(seq, %s) WHERE name = %s", [number, JOBS])
        if cursor.rowcount == 0:
            cursor.execute("INSERT INTO sqlite_sequence (name, seq) VALUES (%s, %s)", [JOBS, number])

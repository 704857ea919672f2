"""The floor of the house: where the server writes, and what keeps it from writing.

What changes the database is an action: a function marked ``@action``. In a running server every action runs in the one
writer's thread, whoever calls it; elsewhere (a command, a test) it runs where it is called, in a transaction.
"""

from .actions import (
    action,
    before_commit,
    is_action,
    is_full,
    is_writer,
    on_rollback,
    run_in_writer,
    savepoint,
    start_writer,
    stop_writer,
    writer_counts,
)
from .writer import WriterStopped

__all__ = [
    "WriterStopped",
    "action",
    "before_commit",
    "is_action",
    "is_full",
    "is_writer",
    "on_rollback",
    "run_in_writer",
    "savepoint",
    "start_writer",
    "stop_writer",
    "writer_counts",
]

"""Marks how far the database has come, in it and in the file beside it."""

from __future__ import annotations

import secrets

from django.db import transaction

from ...storage import action
from ..beside import Beside, read_beside, write_beside
from ..models import TimeLine
from ..numbers import highest_used_job


@action
def mark(line: TimeLine) -> None:
    """A new mark in the database, then in the file: of a server that is killed between them, the file has the previous
    one, which counts as well."""
    known = (line.mark, line.previous_mark)
    there = read_beside()
    # On a full disk the file keeps an older mark: that one stays good until the file can be written again.
    line.previous_mark = there.mark if there and there.mark in known else line.mark
    line.mark = secrets.token_hex(16)
    line.save(update_fields=["mark", "previous_mark"])
    beside = Beside(line.mark, highest_used_job())
    transaction.on_commit(lambda: write_beside(beside))

"""When each grant was last used, so that access can be reviewed. Kept in memory, and written now and then: an action
must not cost a row more."""

from __future__ import annotations

import threading
from datetime import datetime

from django.utils import timezone

from ..process.state import part

MAX_PENDING = 10_000


class _Pending:
    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.last: dict[tuple[str, str], datetime] = {}


def note_usage(name: str, paddock: str) -> None:
    """The grant of the person ``name`` for ``paddock`` (EVERYWHERE: for all) has let an action through."""
    pending = part(_Pending)
    with pending.lock:
        if len(pending.last) < MAX_PENDING:
            pending.last[name, paddock] = timezone.now()


def taken_usage() -> dict[tuple[str, str], datetime]:
    """What was noted since the last call."""
    pending = part(_Pending)
    with pending.lock:
        taken, pending.last = pending.last, {}
    return taken

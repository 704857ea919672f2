"""A bound on the lines of one kind in the server's log: what strangers can cause must not fill a disk."""

from __future__ import annotations

import logging
import time
from collections import OrderedDict
from dataclasses import dataclass

LINES = 20
WINDOW = 60.0
"""At most LINES of one kind within WINDOW seconds; the next one has the number of those left out."""
KINDS_KNOWN = 500


@dataclass
class _Kind:
    since: float
    lines: int = 0
    left_out: int = 0


class BoundedLines(logging.Filter):
    """For a handler. Lines are of one kind that come from one place of the code."""

    def __init__(self) -> None:
        super().__init__()
        self._kinds: OrderedDict[tuple[str, str, int], _Kind] = OrderedDict()

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether the line is written."""
        now = time.monotonic()
        key = record.name, record.pathname, record.lineno
        kind = self._kinds.setdefault(key, _Kind(now))
        self._kinds.move_to_end(key)
        while len(self._kinds) > KINDS_KNOWN:
            self._kinds.popitem(last=False)
        if now - kind.since > WINDOW:
            left_out, self._kinds[key] = kind.left_out, _Kind(now, 1)
            if left_out:
                record.msg = f"{record.getMessage()} (and {left_out} more like this before)"
                record.args = ()
            return True
        kind.lines += 1
        if kind.lines > LINES:
            kind.left_out += 1
            return False
        if kind.lines == LINES:
            record.msg, record.args = f"{record.getMessage()} (more like this are left out for a minute)", ()
        return True

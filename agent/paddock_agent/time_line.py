"""Which history of the server's database this agent works for, and what it gave up because another one began.

HOME/time-line            the time line that the server last named
HOME/abandoned.txt        attempts of earlier time lines: one line each, the last ones
"""

from __future__ import annotations

import contextlib
import time
from pathlib import Path

LINES_KEPT = 200


class TimeLine:
    """The time line of one agent's server."""

    def __init__(self, home: Path) -> None:
        self._file = home / "time-line"
        self._notes = home / "abandoned.txt"

    def read(self) -> str:
        """The one that the server last named, "" for none."""
        with contextlib.suppress(OSError, UnicodeDecodeError):
            return self._file.read_text()[:200]
        return ""

    def is_another(self, named: str) -> bool:
        """Whether the server names another one than before: its database was restored to an earlier state."""
        return bool(named and self.read() and named != self.read())

    def remember(self, named: str) -> None:
        """Remembers it. On a full disk the older one stays, and the server says once more what is of another."""
        if named and named != self.read():
            fresh = self._file.with_suffix(".new")
            with contextlib.suppress(OSError):
                fresh.write_text(named)
                fresh.replace(self._file)

    def note(self, attempt: str) -> None:
        """Writes down that an attempt was given up."""
        with contextlib.suppress(OSError):
            lines = self._notes.read_text().splitlines() if self._notes.exists() else []
            moment = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
            lines.append(f"{moment} {attempt}: stopped, since the server's database was restored to an earlier state")
            self._notes.write_text("\n".join(lines[-LINES_KEPT:]) + "\n")

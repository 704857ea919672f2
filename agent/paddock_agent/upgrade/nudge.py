"""A file in the agent's folder whose change starts the host's watch. It says nothing: the watch asks the server."""

from __future__ import annotations

import contextlib
from pathlib import Path

FILE = "upgrade-asked"


def nudge(home: Path) -> None:
    """Changes the file. If that fails, the watch runs at its next interval."""
    with contextlib.suppress(OSError):
        (home / FILE).write_text("An order to upgrade waits for the watch.\n")

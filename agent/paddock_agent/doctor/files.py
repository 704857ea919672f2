"""Files of the host, read for evidence: bounded, and empty where they cannot be read."""

from __future__ import annotations

from pathlib import Path

MAX_FILE_BYTES = 64 * 1024


def text_of(path: str | Path) -> str:
    """The beginning of a text file; "" where it cannot be read."""
    try:
        with Path(path).open("rb") as file:
            return file.read(MAX_FILE_BYTES).decode("utf-8", "replace")
    except OSError:
        return ""

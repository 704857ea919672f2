"""The agent's last lines, in a small file in its own folder: the watch and the doctor read them when it has gone."""

from __future__ import annotations

import contextlib
import logging
import traceback
from pathlib import Path

FILE = "last-words.log"
MAX_FILE_BYTES = 16 * 1024
"""Bytes after which the older half of the file goes."""
MAX_TROUBLES = 10


class LastWords(logging.Handler):
    """Appends what is logged to the file. A disk that refuses that must not stop the agent: then they are lost."""

    def __init__(self, home: Path) -> None:
        super().__init__(logging.INFO)
        self._file = home / FILE
        self.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
        self.troubles: list[str] = []
        """Warnings since they were last taken, the last one last."""

    def emit(self, record: logging.LogRecord) -> None:
        """Writes one line."""
        line = self.format(record).replace("\n", " | ")[:500]
        if record.levelno >= logging.WARNING:
            self.troubles = [*self.troubles, line][-MAX_TROUBLES:]
        with contextlib.suppress(OSError):
            self._make_room()
            with self._file.open("a", encoding="utf-8") as file:
                file.write(line + "\n")

    def _make_room(self) -> None:
        if self._file.exists() and self._file.stat().st_size > MAX_FILE_BYTES:
            lines = self._file.read_text(encoding="utf-8", errors="replace").splitlines()
            self._file.write_text("\n".join(lines[len(lines) // 2 :]) + "\n", encoding="utf-8")

    def drain_troubles(self) -> list[str]:
        """The warnings since this was last asked."""
        taken, self.troubles = self.troubles, []
        return taken


def note_end(error: BaseException) -> None:
    """Writes down why the agent ends: its own error in a line, any other with where it arose."""
    lines = traceback.format_exception_only(type(error), error)
    frames = traceback.extract_tb(error.__traceback__)[-3:]
    where = "; ".join(f"{Path(one.filename).name} line {one.lineno}" for one in frames)
    logging.getLogger("paddock.agent").error("The agent ends: %s (%s)", lines[-1].strip(), where)

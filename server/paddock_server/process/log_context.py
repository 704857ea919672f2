"""What the lines of the log are about: the request that is answered, and the attempt that a message is of."""

from __future__ import annotations

import contextlib
import json
import logging
from collections.abc import Iterator
from contextvars import ContextVar
from datetime import UTC, datetime

request_id: ContextVar[str] = ContextVar("request_id", default="")
attempt_name: ContextVar[str] = ContextVar("attempt_name", default="")


@contextlib.contextmanager
def about(variable: ContextVar[str], value: str) -> Iterator[None]:
    """Lines within are about this."""
    mark = variable.set(value)
    try:
        yield
    finally:
        variable.reset(mark)


class LogContext(logging.Filter):
    """Puts what a line is about on its record."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Passes every line."""
        known = {"request": request_id.get(), "attempt": attempt_name.get()}
        written = "".join(f" [{name} {value}]" for name, value in known.items() if value)
        record.__dict__.update(known, about=written)
        return True


class JsonLines(logging.Formatter):
    """One object a line: time in ISO 8601 (UTC), level, logger, message; request, attempt and error where there are
    such."""

    def format(self, record: logging.LogRecord) -> str:
        """The line."""
        line = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
            "request": getattr(record, "request", ""),
            "attempt": getattr(record, "attempt", ""),
            "error": self.formatException(record.exc_info) if record.exc_info else "",
        }
        return json.dumps({name: value for name, value in line.items() if value or name == "message"})

"""What an attempt prints, put into its log as the link does."""

from __future__ import annotations

from paddock_agent import wire
from paddock_server.runs import log_store


def printed(attempt, data: bytes, offset: int = 0, *, at: float = 0.0, step: int = 0) -> int:
    chunk = wire.LogChunk(attempt=attempt.wire_name, offset=offset, data=data, at=at, step=step)
    return log_store.append(attempt.log_file, [chunk])

"""The process of one rehearsal: reads a question from standard input, writes progress and the answer as JSON lines.

It gets only what its own server sends it, and has no part in the server's database, network or loop.
"""

from __future__ import annotations

import json
import os
import pickle
import sys
import time

from paddock_core.errors import CoreError
from paddock_core.planning.question import answer

NICENESS = 10
PROGRESS_INTERVAL_SECONDS = 0.5


def main() -> int:
    """Returns the exit code: 1 where the question has no answer, which it says."""
    os.nice(NICENESS)
    question = pickle.load(sys.stdin.buffer)  # noqa: S301 - written by the server that started this process
    last = 0.0

    def progress(share: float) -> None:
        nonlocal last
        if time.monotonic() - last >= PROGRESS_INTERVAL_SECONDS:
            last = time.monotonic()
            _write({"progress": share})

    try:
        _write({"result": answer(question, progress)})
    except CoreError as error:
        _write({"failed": str(error)})
        return 1
    return 0


def _write(line: object) -> None:
    print(json.dumps(line, allow_nan=False), flush=True)  # noqa: T201 - this is what the process is for


if __name__ == "__main__":
    sys.exit(main())

"""What the trial of work costs an agent, against starting one process: before each attempt, and in full."""

from __future__ import annotations

import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable

from paddock_agent.system import trials

ROUNDS = 40


def median_of(work: Callable[[], object]) -> float:
    """Seconds of the middle round."""
    taken = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


def main() -> None:
    """Prints the three medians and their ratios."""
    with tempfile.TemporaryDirectory() as folder:
        process = median_of(lambda: subprocess.run(["/bin/sh", "-c", "exit 0"], check=True))
        before_attempt = median_of(lambda: trials.try_work_folder(folder))
        full = median_of(lambda: trials.try_all(folder, "", folder))
    print(f"one process       {process * 1e3:6.1f} ms")
    for name, taken in (("before an attempt", before_attempt), ("in full, no server", full)):
        print(f"{name:<17} {taken * 1e3:6.1f} ms, {taken / process:.1f} times one process")


if __name__ == "__main__":
    main()

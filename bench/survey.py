"""What a survey costs its host: ``make bench``, or ``python bench/survey.py``.

The whole survey of this machine, against its slowest probe run alone and the bare start of as many processes.
"""

from __future__ import annotations

import asyncio
import os
import resource
import statistics
import subprocess
import sys
import time

from paddock_agent.catalogue import built_in
from paddock_agent.survey import survey
from paddock_agent.survey.places import places_of
from paddock_agent.system.port import System
from paddock_agent.system.real import RealSystem

RUNS = 3


class Counting(RealSystem):
    """This machine, counting what is started, and how long each took by itself."""

    def __init__(self) -> None:
        super().__init__()
        self.took: dict[tuple[str, ...], float] = {}

    async def run(self, command, time_limit, locale="C"):
        began = time.monotonic()
        done = await super().run(command, time_limit, locale)
        self.took[tuple(command)] = time.monotonic() - began
        return done


def whole() -> tuple[float, Counting]:
    system = Counting()
    began = time.monotonic()
    asyncio.run(survey(system, built_in(), patience=60))
    return time.monotonic() - began, system


def alone(commands: list[tuple[str, ...]]) -> tuple[float, tuple[str, ...]]:
    """The slowest of these, each run with nothing beside it."""

    async def each(system: System) -> list[tuple[float, tuple[str, ...]]]:
        found = []
        for command in commands:
            began = time.monotonic()
            await system.run(command, 60)
            found.append((time.monotonic() - began, command))
        return found

    return max(asyncio.run(each(RealSystem())))


def start() -> float:
    """Seconds for the start of one process, through the same port."""

    async def many(system: System) -> list[float]:
        times = []
        for _ in range(50):
            began = time.monotonic()
            await system.run(["/bin/true"], 10)
            times.append(time.monotonic() - began)
        return times

    return statistics.median(asyncio.run(many(RealSystem())))


def in_sequence(commands: list[tuple[str, ...]]) -> float:
    """Seconds of processor that the probes take in all, whoever starts them."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    for command in commands:
        subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def memory() -> float:
    """Megabytes of an agent's process that has surveyed and checked a signature, at its most."""
    script = (
        "import asyncio, resource\n"
        "from paddock_agent.agent import Agent\nfrom paddock_agent.catalogue import built_in\n"
        "from paddock_agent.survey import survey\nfrom paddock_agent.system.real import RealSystem\n"
        "import nacl.signing\nasyncio.run(survey(RealSystem(), built_in()))\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)"
    )
    return float(subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout)


def main() -> None:
    cores = len(os.sched_getaffinity(0))
    looking = time.monotonic()
    system = RealSystem()
    files = sum(len(places_of(system, tool)) for tool in built_in() if tool.linux is not None)
    looking = time.monotonic() - looking
    runs = sorted((whole() for _ in range(RUNS)), key=lambda run: run[0])
    took, counting = runs[0]
    commands = list(counting.took)
    slowest, which = alone(commands)
    one = start()
    work = in_sequence(commands)
    bound = 2 * slowest + one * (cores + len(commands))
    print(f"{len(built_in())} tools, {files} paths looked at in {looking * 1000:.0f} ms")
    print(f"{len(commands)} probes on {cores} cores; the start of a process takes {one * 1000:.1f} ms")
    print(f"whole survey {took:.2f} s (best of {RUNS})")
    print(f"slowest probe alone {slowest:.2f} s: {' '.join(which)[:80]}")
    print(f"2 x slowest + {cores + len(commands)} starts = {bound:.2f} s; the survey takes {took / bound:.2f} of that")
    print(f"the probes' own work {work:.2f} s of processor; the survey takes {took * cores / work:.2f} times that")
    print(f"agent's memory at most {memory():.0f} MB")


if __name__ == "__main__":
    main()

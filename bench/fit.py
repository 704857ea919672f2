"""How a dispatch round grows: ``make bench``.

Reports ratios to a plain Python loop over the same hosts that only compares strings, in the same run: what they
say does not depend on how fast the machine is.
"""

from __future__ import annotations

import sys
import timeit

from paddock_core.dispatch import WaitingJob, dispatch_round
from paddock_core.fleet import Host, Installation, Readiness
from paddock_core.terms import parse_terms

TOOLS = ("git", "python", "node", "npm", "jdk", "maven", "gcc", "cmake", "make", "cargo", "perl")
REQUIREMENTS = [
    parse_terms(texts)
    for texts in (
        ["os linux", "tool jdk 17..21"],
        ["os macos 14+", "tool cmake 3.20+", "label mobile"],
        ["os windows", "tool maven 3.8+", "arch x64"],
        ["tool python >=3.9 <4", "tool gcc 12", "label bench-rig"],
        ["label no-host-has-this"],
    )
]


def fleet(size: int) -> list[Host]:
    """``size`` hosts with eleven tools each, a third of each system, every fourth busy."""
    systems = (("linux", "12"), ("macos", "14.5"), ("windows", "10.0.20348"))
    return [
        Host(
            f"knot-{i:05}",
            "shoreline",
            *systems[i % 3],
            "x64" if i % 2 else "arm64",
            frozenset({"mobile"} if i % 5 else {"bench-rig"}),
            tuple(Installation(tool, f"{3 + i % 20}.{i % 10}.1", f"/usr/bin/{tool}") for tool in TOOLS),
            Readiness.BUSY if i % 4 == 0 else Readiness.FREE,
        )
        for i in range(size)
    ]


def seconds(work: object) -> float:
    return min(timeit.repeat(work, number=1, repeat=5))  # type: ignore[arg-type]


def main() -> int:
    print(f"{'hosts':>6} {'jobs':>6} {'round, ms':>10} {'µs a pair':>10} {'ratio':>7}")
    for size in (100, 1000, 5000):
        hosts = fleet(size)
        jobs = [WaitingJob(i, REQUIREMENTS[i % len(REQUIREMENTS)], order=i) for i in range(size)]
        dispatch_round(jobs, hosts)  # versions are read once and kept, as in the server
        took = seconds(lambda jobs=jobs, hosts=hosts: dispatch_round(jobs, hosts))

        def plain(hosts: list[Host] = hosts) -> int:
            return sum(
                host.os == "linux" and "mobile" in host.labels and any(one.tool == "jdk" for one in host.installations)
                for _ in REQUIREMENTS
                for host in hosts
            )

        pairs = size * len(REQUIREMENTS)
        figures = took * 1e3, took / pairs * 1e6, took / seconds(plain)
        print("{:6} {:6} {:10.1f} {:10.1f} {:7.1f}".format(size, size, *figures))
    return 0


if __name__ == "__main__":
    sys.exit(main())

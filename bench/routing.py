"""How routing grows: one requirement, one dispatch round, one host's change. ``make bench``.

Each figure is a ratio to something plain in the same run, so that what it says does not depend on the machine.
"""

from __future__ import annotations

import gc
import random
import sys
import timeit
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from paddock_core.dispatch import WaitingJob, dispatch_round
from paddock_core.fit import Requirement
from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex, intersection, unpacked
from paddock_core.terms import parse_terms

TOOLS = ("git", "python", "node", "npm", "jdk", "maven", "gcc", "cmake", "make", "cargo", "perl")
SYSTEMS = (("linux", "12"), ("macos", "14.5"), ("windows", "10.0.20348"))
FIVE = parse_terms(["os linux", "arch x64", "label mobile", "tool jdk 4..15", "disk 10 GB free"])
SIZES = (100, 1_000, 10_000)


def fleet(size: int) -> list[Host]:
    """``size`` hosts with eleven tools each, a third of each system, every fourth busy, of one to four slots."""
    chance = random.Random(6)
    return [
        Host(
            f"knot-{i:05}",
            "shoreline",
            *SYSTEMS[i % 3],
            "x64" if i % 2 else "arm64",
            frozenset({"mobile" if i % 5 else "bench-rig", f"rig-{i % 40}"}),
            tuple(InstalledTool(tool, f"{3 + i % 20}.{i % 10}.1", f"/usr/bin/{tool}") for tool in TOOLS),
            Readiness.BUSY if i % 4 == 0 else Readiness.FREE,
            free_slots=chance.randint(1, 4),
            slots=4,
            cores=8,
            memory=32 * 10**9,
            disk_free=chance.uniform(1e9, 4e11),
        )
        for i in range(size)
    ]


def requirements(number: int) -> list[Requirement]:
    """So many distinct ones, of one to four terms; a tenth of them fits no host."""
    chance = random.Random(7)
    found: dict[tuple[str, ...], Requirement] = {}
    while len(found) < number:
        terms = [f"os {chance.choice(SYSTEMS)[0]}"] if chance.random() < 0.7 else []
        terms += [f"label rig-{chance.randrange(44)}"] if chance.random() < 0.4 else []
        low = chance.randint(1, 20)
        terms += [f"tool {chance.choice(TOOLS)} {low}..{low + chance.randint(0, 12)}"]
        terms += ["disk 40 GB free"] if chance.random() < 0.3 else []
        found.setdefault(tuple(terms), Requirement(parse_terms(terms)))
    return list(found.values())


def seconds(work: Callable[[], object], repeat: int = 7, number: int = 1) -> float:
    gc.collect()
    return min(timeit.repeat(work, number=number, repeat=repeat)) / number


def bench_requirement() -> None:
    print("One requirement of five terms, its predicates known:")
    print(f"{'hosts':>7} {'took, µs':>9} {'five bare ANDs, µs':>19} {'ratio':>6} {'plain loop, µs':>15} {'faster':>8}")
    for size in SIZES:
        hosts = fleet(size)
        index = FleetIndex(hosts)
        rows = [index.holds(term).copy() for term in FIVE]
        there = index.state("admitted").copy()

        def evaluate(index: FleetIndex = index) -> object:
            return intersection([index.state("admitted"), *map(index.holds, FIVE)])

        def bare(rows: list[np.ndarray] = rows, there: np.ndarray = there) -> object:
            found = there & rows[0]
            for row in rows[1:]:
                np.bitwise_and(found, row, out=found)
            return found

        def loop(hosts: list[Host] = hosts) -> list[str]:
            return [
                host.name
                for host in hosts
                if host.os == "linux"
                and host.arch == "x64"
                and "mobile" in host.labels
                and any(one.tool == "jdk" and 4 <= int(one.version.split(".")[0]) <= 15 for one in host.installations)
                and (host.disk_free or 0) >= 10e9
            ]

        assert [host.name for host in index.hosts_in(intersection([there, *rows]))] == loop()
        ours, plain, slow = seconds(evaluate, number=200), seconds(bare, number=200), seconds(loop)
        print(
            f"{size:7} {ours * 1e6:9.2f} {plain * 1e6:19.2f} {ours / plain:6.2f} {slow * 1e6:15.0f} {slow / ours:8.0f}"
        )


def greedy(fits: np.ndarray, kinds: np.ndarray, free: np.ndarray) -> int:
    """The bare way: each job in turn to the first host that fits and is free. The number that started."""
    free = free.copy()
    open_hosts = free > 0
    started = 0
    for kind in kinds:
        able = fits[kind] & open_hosts
        host = int(able.argmax())
        if able[host]:
            started += 1
            free[host] -= 1
            open_hosts[host] = free[host] > 0
    return started


def bench_round() -> None:
    from paddock_core.dispatch.matching import Kind

    print("\nOne dispatch round:")
    print(
        f"{'hosts':>7} {'jobs':>6} {'asks':>5} {'round, ms':>10} {'bare greedy, ms':>16} {'ratio':>6} "
        f"{'started':>8} {'greedy':>7} {'optimum':>8} {'match, ms':>10}"
    )
    for size, distinct in zip(SIZES, (30, 300, 300), strict=True):
        hosts = fleet(size)
        index = FleetIndex(hosts)
        asked = requirements(distinct)
        chance = random.Random(8)
        jobs = [WaitingJob(i, chance.choice(asked), pipeline=f"p{i % 9}", waited=float(size - i)) for i in range(size)]
        decided = dispatch_round(jobs, index)
        took = seconds(lambda jobs=jobs, index=index: dispatch_round(jobs, index), repeat=3)
        ready = unpacked(index.state(Readiness.FREE))[:size].astype(bool)
        kinds = {requirement: number for number, requirement in enumerate(asked)}
        fits = np.array(
            [unpacked(intersection([index.state("admitted"), *map(index.holds, r.terms)]))[:size] for r in asked]
        ).astype(bool)
        free = np.where(ready, [host.free_slots for host in hosts], 0)
        order = np.array([kinds[job.requirement] for job in jobs])
        plain = seconds(lambda fits=fits, order=order, free=free: greedy(fits, order, free), repeat=3)
        bits = [int.from_bytes(np.packbits(row, bitorder="little").tobytes(), "little") for row in fits]
        several = [Kind((one,), at) for at, one in enumerate(bits)]
        in_order, room = order.tolist(), free.tolist()
        matching = seconds(lambda s=several, o=in_order, f=room: matched(s, o, f), repeat=3)
        print(
            f"{size:7} {size:6} {distinct:5} {took * 1e3:10.1f} {plain * 1e3:16.1f} {took / plain:6.2f} "
            f"{len(decided.placements):8} {greedy(fits, order, free):7} {optimum(fits, order, free):8} "
            f"{matching * 1e3:10.1f}"
        )


def matched(kinds: list[Any], order: list[int], free: list[int]) -> int:
    """The matching alone: how many start."""
    from paddock_core.dispatch.matching import Matching, Rooms
    from paddock_core.dispatch.tally import Tally

    rooms = Rooms(len(free))
    for at, room in enumerate(free):
        rooms.set_ready(at, True)
        rooms.change(at, room)
    matching = Matching(rooms, Tally())
    for job, kind in enumerate(order):
        matching.add(job, kinds[kind])
    return len(matching.host_of)


def optimum(fits: np.ndarray, kinds: np.ndarray, free: np.ndarray) -> int:
    """The most that can start, by a maximum flow from kinds of jobs to hosts: an algorithm that is not ours."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import maximum_flow

    number, hosts = fits.shape
    waiting = np.bincount(kinds, minlength=number)
    kind_of, host_of = np.nonzero(fits & (free > 0))
    source, sink = number + hosts, number + hosts + 1
    starts = np.r_[np.full(number, source), kind_of, number + np.arange(hosts)]
    ends = np.r_[np.arange(number), number + host_of, np.full(hosts, sink)]
    room = np.r_[waiting, np.minimum(waiting[kind_of], free[host_of]), free]
    graph = coo_array((room.astype(np.int32), (starts, ends)), shape=(sink + 1, sink + 1)).tocsr()
    return int(maximum_flow(graph, source, sink).flow_value)


def bench_change() -> None:
    print("\nOne host's change (labels and free disk), with 300 distinct requirements known:")
    print(f"{'jobs':>7} {'hosts':>7} {'took, µs':>9} {'against 100':>12}")
    hosts = fleet(10_000)
    first = 0.0
    for size in SIZES:
        index = FleetIndex(hosts)
        asked = requirements(300)
        jobs = [WaitingJob(i, asked[i % 300], waited=float(i)) for i in range(size)]
        dispatch_round(jobs, index)
        one = hosts[77]
        states = [one, replace(one, labels=frozenset({"rig-1"}), disk_free=one.disk_free and one.disk_free / 2)]

        def change(index: FleetIndex = index, states: list[Host] = states) -> None:
            for state in states:
                index.put(state)

        took = seconds(change, number=20) / 2
        first = first or took
        print(f"{size:7} {len(hosts):7} {took * 1e6:9.1f} {took / first:12.2f}")


def main() -> int:
    bench_requirement()
    bench_round()
    bench_change()
    return 0


if __name__ == "__main__":
    sys.exit(main())

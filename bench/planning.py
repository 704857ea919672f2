"""How planning grows: a rehearsal against its length, one round of one freed slot, and a year of use. ``make bench``.

Ratios are within one run; events per second say how long a person waits on this machine.
"""

from __future__ import annotations

import json
import random
import resource
import subprocess
import sys
import time
from datetime import UTC

import numpy as np
from routing import seconds

from paddock_core.dispatch.line import Line
from paddock_core.fleet import Host
from paddock_core.planning.kinds import kinds_of_work
from paddock_core.planning.past import Ask, Past, Run, joined, past_of
from paddock_core.planning.rehearsal import Setting, rehearse
from paddock_core.planning.use import busy_by_hour_of_week, over_time, slot_hours
from paddock_core.terms import parse_terms
from paddock_server.planning.packing import packed, unpacked

HOSTS, KINDS, PIPELINES = 500, 30, 12
MEAN_SECONDS, BUSY = 600.0, 0.85
START = 1_790_000_000.0


def made_up(jobs: int) -> tuple[list[Host], Past]:
    """Jobs of exponential lengths that keep a fleet of two slots a host busy by ``BUSY``."""
    chance = random.Random(1)
    hosts = [
        Host(f"knot-{n:04}", "annex", "linux", "12", "x64", frozenset({f"rig-{n % KINDS}", f"set-{n % 7}"}), slots=2)
        for n in range(HOSTS)
    ]
    asks = [Ask((f"label set-{n % 7}",)) if n % 3 else Ask((f"label rig-{n}",)) for n in range(KINDS)]
    rate = BUSY * 2 * HOSTS / MEAN_SECONDS
    at, runs = START, []
    for job in range(jobs):
        at += chance.expovariate(rate)
        kind = chance.randrange(KINDS)
        length = chance.expovariate(1 / MEAN_SECONDS)
        runs.append(
            Run(job, at, at, at, at + 1, at + 1 + length, f"pipeline-{kind % PIPELINES}", f"job-{kind}",
                f"knot-{chance.randrange(HOSTS):04}", ask=asks[kind])
        )  # fmt: skip
    return hosts, past_of(runs)[0]


def one_rehearsal(jobs: int) -> None:
    """In a process of its own, for its memory."""
    hosts, past = made_up(jobs)
    began = time.perf_counter()
    found = rehearse(Setting(past, tuple(hosts)), parse_terms)
    took = time.perf_counter() - began
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(json.dumps({"events": found.events, "took": took, "memory": memory}))


def bench_rehearsals() -> None:
    print(f"\nA rehearsal over {HOSTS} hosts:")
    print(f"{'jobs':>8} {'events':>8} {'took, s':>8} {'events a second':>16} {'memory, MiB':>12} {'per event':>10}")
    first = 0.0
    for jobs in (25_000, 50_000, 100_000):
        done = subprocess.run([sys.executable, __file__, str(jobs)], capture_output=True, text=True, check=True)
        found = json.loads(done.stdout)
        each = found["took"] / found["events"]
        first = first or each
        rate = f"{1 / each:,.0f}"
        print(
            f"{jobs:8} {found['events']:8} {found['took']:8.2f} {rate:>16} {found['memory']:12.0f} {each / first:10.2f}"
        )


def bench_round() -> None:
    """One slot comes free among 500 full hosts, with 1,000 jobs waiting."""
    chance = random.Random(2)
    line = Line(HOSTS)
    for host in range(HOSTS):
        line.rooms.set_ready(host, True)
    fits = [sum(1 << host for host in range(HOSTS) if host % KINDS == n or host % 7 == n % 7) for n in range(KINDS)]
    kinds = [line.add_kind((one,), 1, n) for n, one in enumerate(fits)]
    job = 0
    use = {f"pipeline-{n}": 600.0 * n for n in range(PIPELINES)}

    def send() -> None:
        nonlocal job
        job += 1
        kind = chance.randrange(KINDS)
        line.add(job, f"pipeline-{job % PIPELINES}", kinds[kind], -float(job), 600.0)

    for _ in range(1_000):
        send()
    took = []
    for _ in range(3_000):
        host = chance.randrange(HOSTS)
        line.rooms.change(host, 1)
        began = time.perf_counter()
        line.round(lambda: use, 2 * HOSTS)
        took.append(time.perf_counter() - began)
        while len(line) < 1_000:
            send()
    print(f"\nA round of one freed slot, {HOSTS} hosts, 1,000 waiting: {np.median(took) * 1e6:.0f} µs (95 of 100 under "
          f"{np.quantile(took, 0.95) * 1e6:.0f} µs)")  # fmt: skip


def bench_year() -> None:
    """A million attempts in 365 days: unpacked, joined and counted."""
    hosts, some = made_up(20_000)
    day_runs = 1_000_000 // 365
    days = []
    shift = START - float(some.sent[0])
    for day in range(365):
        rows = np.zeros(len(some), bool)
        rows[(np.arange(day_runs) + 37 * day) % len(some)] = True
        one = some.where(rows)
        moved = {name: getattr(one, name) - one.sent[0] + shift + START + day * 86_400.0
                 for name in ("sent", "released", "placed", "started", "ended")}  # fmt: skip
        days.append(packed(Past(**{**vars(one), **moved, "job": one.job + day * 10**6})))
    whole: list[Past] = []
    read = seconds(lambda: whole.append(joined([unpacked(one) for one in days])), repeat=1)
    past = whole[0]
    since, until = float(past.sent[0]), float(past.ended.max())

    def count() -> None:
        for by in ("host", "pipeline", "ask"):
            slot_hours(past, by, since, until)
        busy_by_hour_of_week(past, 2 * HOSTS, since, until, UTC)
        over_time(past, np.linspace(since, until, 180))

    use = seconds(count, repeat=3)
    kinds = seconds(lambda: kinds_of_work(past, hosts, parse_terms), repeat=3)
    size = sum(map(len, days)) / 1e6
    print(f"\nA year of {len(past):,} attempts ({size:.0f} MB packed): read {read:.2f} s, use {use:.2f} s, "
          f"kinds of work {kinds:.2f} s")  # fmt: skip


def main() -> int:
    if len(sys.argv) > 1:
        one_rehearsal(int(sys.argv[1]))
        return 0
    bench_rehearsals()
    bench_round()
    bench_year()
    return 0


if __name__ == "__main__":
    sys.exit(main())

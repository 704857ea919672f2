"""How close a rehearsal comes to fleets whose truth is known. ``make bench``.

Each made-up fleet has hosts of known speeds, some of them closed for a while, and kinds of work that share hosts.

First, fleets that Yellow Paddock dispatches. The record is made with the true speeds and lengths; the rehearsal knows
only the record, and estimates the speeds from it. It is asked for the fleet as it was, and for a fleet with two hosts
fewer, whose truth is made with the true speeds again.

Then, fleets that another server dispatched: first come, first served, on any free host that fits. A record that is
imported may come from such a one.
"""

from __future__ import annotations

import heapq
import random
import sys
from dataclasses import replace

import numpy as np

from paddock_core.fleet import Host
from paddock_core.planning.past import Ask, Past, Run, past_of
from paddock_core.planning.rehearsal import Closure, Setting, rehearse
from paddock_core.planning.speed import host_speeds
from paddock_core.planning.use import quantiles
from paddock_core.terms import parse_terms

FLEETS = 8
JOBS = 12_000
START = 1_790_000_000.0
CLOSE = 0.10
NEGLIGIBLE_SECONDS = 5.0


def recorded(seed: int) -> tuple[Past, list[Host], list[Closure], dict[str, float]]:
    """A fleet, what ran on it, when hosts were closed, and how fast they truly are."""
    chance = random.Random(seed)
    kinds, number = chance.randint(3, 8), chance.randint(8, 40)
    hosts = [
        Host(f"knot-{n:02}", "shoreline", "linux", "12", "x64",
             frozenset({f"rig-{n % kinds}", *(f"rig-{k}" for k in range(kinds) if chance.random() < 0.3)}),
             slots=chance.choice((1, 2, 4)))
        for n in range(number)
    ]  # fmt: skip
    speed = {host.name: chance.choice((1.0, 1.0, 1.0, 0.8, 1.4)) for host in hosts}
    slots = sum(host.slots for host in hosts)
    length = [chance.uniform(120, 1500) for _ in range(kinds)]
    rate = chance.uniform(0.7, 0.95) * slots / float(np.mean(length))
    closed = [
        Closure(host.name, START + 40_000.0 * n, START + 40_000.0 * n + 20_000.0)
        for n, host in enumerate(chance.sample(hosts, max(1, number // 10)))
    ]
    events: list[tuple[float, int, int, str]] = []
    at = START
    for job in range(JOBS):
        # Busy by day, quiet by night.
        at += chance.expovariate(rate * (1.4 if (at // 3600) % 24 in range(8, 18) else 0.6))
        heapq.heappush(events, (at, 1, job, ""))
    for closure in closed:
        heapq.heappush(events, (closure.until, 2, 0, ""))
    kind_of = [chance.randrange(kinds) for _ in range(JOBS)]
    work = [chance.lognormvariate(0, 0.5) * length[kind] for kind in kind_of]
    free = {host.name: host.slots for host in hosts}
    sent: dict[int, float] = {}
    waiting: list[int] = []
    runs = []
    while events:
        now, what, job, name = heapq.heappop(events)
        if what == 0:
            free[name] += 1
        elif what == 1:
            sent[job] = now
            waiting.append(job)
        shut = {one.host for one in closed if one.since <= now < one.until}
        left = []
        for one in waiting:
            fits = [h for h in hosts if free[h.name] > 0 and h.name not in shut and f"rig-{kind_of[one]}" in h.labels]
            if not fits:
                left.append(one)
                continue
            host = chance.choice(fits)
            free[host.name] -= 1
            ends = now + work[one] * speed[host.name]
            heapq.heappush(events, (ends, 0, 0, host.name))
            ask = Ask((f"label rig-{kind_of[one]}",))
            runs.append(Run(one, sent[one], sent[one], now, now, ends, f"p{kind_of[one]}", "job", host.name, ask=ask))
        waiting = left
    return past_of(runs)[0], hosts, closed, speed


def ratios(record: np.ndarray, played: np.ndarray) -> list[float]:
    """Of the median and of the 95th wait: rehearsed over recorded; 1 where they differ by less than people notice."""
    found = []
    for was, now in zip(quantiles(record, (0.5, 0.95)), quantiles(played, (0.5, 0.95)), strict=True):
        found.append(1.0 if abs(was - now) < NEGLIGIBLE_SECONDS else now / max(was, 1e-9))
    return found


def dispatched_here(seed: int) -> tuple[list[float], list[float]]:
    """The ratios for the fleet as it was, and for one with two hosts fewer."""
    past, hosts, closed, truth = recorded(seed)
    # The lengths that each job would have on a host of factor 1.
    true_work = Setting(past, tuple(hosts), closures=tuple(closed), speeds=truth)
    real = rehearse(true_work, parse_terms)
    fewer = tuple(hosts[2:])
    real_fewer = rehearse(replace(true_work, hosts=fewer), parse_terms)
    runs = [
        Run(int(past.job[at]), float(past.sent[at]), float(past.sent[at]), float(real.placed[at]),
            float(real.placed[at]), float(real.ended[at]), past.pipelines[past.pipeline[at]], "job",
            real.hosts[real.host[at]], ask=past.asks[past.ask[at]])
        for at in range(len(past))
        if not np.isnan(real.placed[at])
    ]  # fmt: skip
    record, _ = past_of(runs)
    speeds = {name: found.factor for name, found in host_speeds(record).items() if found.is_certain}
    known = Setting(record, tuple(hosts), closures=tuple(closed), speeds=speeds)
    again = rehearse(known, parse_terms)
    predicted = rehearse(replace(known, hosts=fewer), parse_terms)
    return (
        ratios(record.waits, again.waits),
        ratios(*(one[~np.isnan(one)] for one in (real_fewer.waits, predicted.waits))),
    )


def dispatched_elsewhere(seed: int) -> list[float]:
    """The same for a record of another server, as it was."""
    past, hosts, closed, _ = recorded(seed)
    speeds = {name: found.factor for name, found in host_speeds(past).items() if found.is_certain}
    found = rehearse(Setting(past, tuple(hosts), closures=tuple(closed), speeds=speeds), parse_terms)
    return ratios(past.waits, found.waits)


def is_close(found: list[float]) -> bool:
    return all(abs(one - 1) <= CLOSE for one in found)


def main() -> int:
    first = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    print("Rehearsed over true waits, median and 95th:")
    print(f"{'fleet':>6} {'as it was':>16} {'two hosts fewer':>18} {'from elsewhere':>16}")
    counts = [0, 0, 0]
    for seed in range(first, first + FLEETS):
        found = [*dispatched_here(seed), dispatched_elsewhere(seed)]
        counts = [number + is_close(one) for number, one in zip(counts, found, strict=True)]
        print(f"{seed:6} " + " ".join(f"{one[0]:8.2f} {one[1]:8.2f}" for one in found))
    here, fewer, elsewhere = (f"{number} of {FLEETS}" for number in counts)
    print(f"Within 10 %: as it was {here}, two hosts fewer {fewer}, from elsewhere {elsewhere}.")
    return 0


if __name__ == "__main__":
    sys.exit(main())

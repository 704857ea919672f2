"""What a standby decision costs: 5,000 hosts, 1,000 waiting jobs, as a ratio to a dispatch round over the same.

``make bench`` runs it. Half of the hosts sleep, the others are busy; the jobs ask for twelve kinds of things.
"""

from __future__ import annotations

import random
import statistics
import time

from paddock_core.dispatch import WaitingJob, dispatch_round
from paddock_core.fit import Requirement
from paddock_core.fleet import Host, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.standby.decide import KeepAwake, Mode, Policy, Sleeper, Wanted, decide
from paddock_core.standby.power import Power
from paddock_core.terms import parse_terms

HOSTS, WAITING, RUNS = 5_000, 1_000, 7
LABELS = [f"rig-{n}" for n in range(12)]


def fleet(rng: random.Random) -> tuple[list[Host], list[Sleeper], list[tuple[str, float]]]:
    """The hosts, those that may sleep, and the slots that come free."""
    hosts, sleepers, ends = [], [], []
    policy = Policy(Mode.ON_DEMAND)
    for n in range(HOSTS):
        name, slots = f"host-{n:04}", rng.choice((1, 2, 4))
        labels = frozenset(rng.sample(LABELS, 2))
        state = rng.choice((Readiness.ASLEEP, Readiness.BUSY))
        free = slots if state is Readiness.FREE else 0
        hosts.append(Host(name, "shoreline", "linux", "12", "x64", labels, (), state, free, slots=slots))
        power = Power.ASLEEP if state is Readiness.ASLEEP else Power.ON
        idle = None if state is Readiness.BUSY else -4000.0
        sleepers.append(Sleeper(name, power, -9000.0, policy, idle, rng.uniform(20, 200), rng.random()))
        if state is Readiness.BUSY:
            ends += [(name, rng.uniform(0, 3600))] * slots
    return hosts, sleepers, ends


def main() -> int:
    rng = random.Random(23)
    hosts, sleepers, ends = fleet(rng)
    requirements = [Requirement(parse_terms([f"label {one}", "os linux"])) for one in LABELS]
    asked = [rng.choice(requirements) for _ in range(WAITING)]
    keeps = [KeepAwake(one, Requirement(parse_terms([f"label {one}"])), awake=20, free=2) for one in LABELS]
    decisions, rounds = [], []
    for _ in range(RUNS):
        # The first round looks every term up, as in a server that has just started; what is timed is after that.
        index = FleetIndex(hosts)
        waiting = [WaitingJob(n, one) for n, one in enumerate(asked)]
        dispatch_round(waiting, index)
        began = time.perf_counter()
        dispatch_round(waiting, index)
        rounds.append(time.perf_counter() - began)
        wanted = [Wanted(n, one) for n, one in enumerate(asked)]
        began = time.perf_counter()
        found = decide(0.0, index, sleepers, wanted, ends, keeps)
        decisions.append(time.perf_counter() - began)
    ratio = statistics.median(one / other for one, other in zip(decisions, rounds, strict=True))
    print(f"standby decision        {1000 * statistics.median(decisions):>7.1f} ms ({len(found.wakes)} wakes, "
          f"{len(found.downs)} power-downs)")  # fmt: skip
    print(
        f"dispatch round          {1000 * statistics.median(rounds):>7.1f} ms; the decision is {ratio:.2f} times that"
    )
    return 0


if __name__ == "__main__":
    raise SystemExit(main())

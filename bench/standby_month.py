"""What three standby policies save on four weeks of the demo's made-up past, and how long jobs wait for it.

``make bench`` runs it. Event by event in virtual time: jobs come and end as recorded, hosts take WAKE seconds to come
up. A job fits the hosts that ran its like in those weeks; the first in line goes to the first free host by name. The
same line without any policy is what the others are held against.
"""

from __future__ import annotations

import heapq
import itertools
import json
import math
import time
from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from datetime import time as clock
from typing import Any

import numpy as np

from paddock_core.fit import Requirement
from paddock_core.fleet import Host, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.planning.past import Ask, Past, Run, past_of
from paddock_core.standby.decide import SETTLE_SECONDS, Mode, Policy, Sleeper, SleepHours, Wanted, decide
from paddock_core.standby.power import Power
from paddock_core.terms import parse_terms
from paddock_standins.description import all_hosts
from paddock_standins.made_up_runs import made_up_runs

WEEKS, WAKE, LOOK = 4, 90.0, 60.0
WATTS, WATTS_ASLEEP = 60.0, 2.0


@dataclass(frozen=True)
class Trial:
    """A policy for all hosts; none: they are always on."""

    name: str
    policy: Policy | None
    hours: SleepHours | None = None


TRIALS = (
    Trial("always on", None),
    Trial("30 min idle, at any time", Policy(Mode.ON_DEMAND, 1800.0)),
    Trial("10 min idle, at any time", Policy(Mode.ON_DEMAND, 600.0)),
    Trial("30 min idle, 19:00 to 7:00", Policy(Mode.ON_DEMAND, 1800.0), SleepHours(clock(19), clock(7))),
)


def four_weeks() -> Past:
    """The last weeks of the demo's made-up past."""
    records = [json.loads(line) for line in made_up_runs(all_hosts(), time.time())]
    past, _ = past_of([_run(record) for record in records if "job" in record])
    return past.where(past.sent >= past.sent[-1] - WEEKS * 7 * 86_400)


def _run(record: dict[str, Any]) -> Run:
    sent, started, ended = (float(record[name]) for name in ("sent", "started", "ended"))
    ask = Ask(tuple(record.get("terms", ())), (), record.get("slots", 1))
    return Run(
        record["job"], sent, sent, started, started, ended, record["pipeline"], record["name"], record["host"], ask=ask
    )


class Play:
    """One trial, from the first job to the last."""

    def __init__(self, past: Past, trial: Trial) -> None:
        self.past, self.trial = past, trial
        kinds: dict[int, set[int]] = defaultdict(set)
        for ask, host in set(zip(past.ask.tolist(), past.host.tolist(), strict=True)):
            kinds[ask].add(host)
        slots = {one.name: max(1, one.slots or one.cores // 2) for one in all_hosts()}
        self.fits = {ask: sorted(hosts) for ask, hosts in kinds.items()}
        self.hosts = [
            Host(name, "shoreline", "linux", "12", "x64",
                 frozenset(f"k{ask}" for ask, hosts in kinds.items() if number in hosts), (), Readiness.FREE,
                 slots.get(name, 2), slots=slots.get(name, 2))
            for number, name in enumerate(past.hosts)
        ]  # fmt: skip
        self.wants = {ask: Requirement(parse_terms([f"label k{ask}"])) for ask in kinds}
        self.index = FleetIndex(self.hosts)
        begin = float(past.sent[0])
        self.power, self.since = [Power.ON] * len(self.hosts), [begin - SETTLE_SECONDS] * len(self.hosts)
        self.idle = [begin] * len(self.hosts)
        self.working: list[dict[int, float]] = [{} for _ in self.hosts]
        self.asleep, self.changes = 0.0, 0

    def run(self) -> np.ndarray:
        """The wait of each job, in seconds, shape (jobs,)."""
        past = self.past
        waits = np.zeros(len(past))
        numbers = itertools.count()
        events = [(float(sent), next(numbers), "comes", job) for job, sent in enumerate(past.sent)]
        ticks = np.arange(events[0][0], events[-1][0], LOOK) if self.trial.policy else ()
        events += [(float(at), next(numbers), "look", 0) for at in ticks]
        heapq.heapify(events)
        queue: list[int] = []
        while events:
            now, _, what, job = heapq.heappop(events)
            if what == "comes":
                queue.append(job)
            elif what == "ends":
                host = next(at for at, some in enumerate(self.working) if job in some)
                del self.working[host][job]
                if not self.working[host]:
                    self.idle[host] = now
                self._show(host)
            elif what == "up":
                self._change(job, Power.ON, now)
                self.idle[job] = now
            for waiting in list(queue):
                free = next((at for at in self.fits[int(past.ask[waiting])] if self._free(at)), None)
                if free is not None:
                    queue.remove(waiting)
                    waits[waiting] = now - past.sent[waiting]
                    end = now + float(past.ended[waiting] - past.placed[waiting])
                    self.working[free][waiting] = end
                    self._show(free)
                    heapq.heappush(events, (end, next(numbers), "ends", waiting))
            if self.trial.policy and (queue or what == "look"):
                for up, host in self._decide(now, queue):
                    heapq.heappush(events, (up, next(numbers), "up", host))
        return waits

    def _decide(self, now: float, queue: list[int]) -> list[tuple[float, int]]:
        policy = self.trial.policy
        assert policy
        if self.trial.hours:
            wall = datetime.fromtimestamp(now, UTC).replace(tzinfo=None)
            policy = replace(policy, may_sleep_now=self.trial.hours.holds(wall))
        sleepers = [
            Sleeper(
                host.name, self.power[at], self.since[at], policy, None if self.working[at] else self.idle[at], WAKE
            )
            for at, host in enumerate(self.hosts)
        ]
        wanted = [Wanted(job, self.wants[int(self.past.ask[job])]) for job in queue]
        ends = [(self.hosts[at].name, end) for at, some in enumerate(self.working) for end in some.values()]
        found = decide(now, self.index, sleepers, wanted, ends)
        place = {host.name: at for at, host in enumerate(self.hosts)}
        for down in found.downs:
            self._change(place[down.host], Power.ASLEEP, now)
        for wake in found.wakes:
            self._change(place[wake.host], Power.WAKING, now)
        return [(now + WAKE, place[wake.host]) for wake in found.wakes]

    def _change(self, host: int, power: Power, now: float) -> None:
        if self.power[host] is Power.ASLEEP:
            self.asleep += now - self.since[host]
        self.changes += power is not Power.ON
        self.power[host], self.since[host] = power, now
        self._show(host)

    def _free(self, host: int) -> int:
        return self.hosts[host].slots - len(self.working[host]) if self.power[host] is Power.ON else 0

    def _show(self, host: int) -> None:
        one, free = self.hosts[host], self._free(host)
        readiness = {Power.ASLEEP: Readiness.ASLEEP, Power.WAKING: Readiness.WAKING}.get(
            self.power[host], Readiness.FREE if free else Readiness.BUSY
        )
        self.index.put(replace(one, free_slots=max(0, free), readiness=readiness))


def main() -> int:
    past = four_weeks()
    span = float(past.sent[-1] - past.sent[0])
    before = None
    print(f"{len(past):,} jobs in {span / 604_800:.1f} weeks on {len(past.hosts)} hosts; a wake takes {WAKE:.0f} s")
    for trial in TRIALS:
        play = Play(past, trial)
        waits = play.run()
        before = waits if before is None else before
        share = play.asleep / (span * len(past.hosts))
        saved = (WATTS - WATTS_ASLEEP) * play.asleep / 3600 / 1000
        added = (waits - before).sum() / 60
        high = np.sort(waits)[math.ceil(0.95 * len(waits)) - 1]
        daily = play.changes / len(past.hosts) / (span / 86_400)
        print(f"{trial.name:<28}{play.asleep / 3600:>8,.0f} h asleep ({share:.0%}){saved:>7,.0f} kWh")
        print(f"{'':<28}{added:>8,.0f} min of waiting added, {added * 60 / len(waits):.1f} s a job; "
              f"95 of 100 wait under {high:.0f} s; {daily:.1f} changes a host and day")  # fmt: skip
    return 0


if __name__ == "__main__":
    raise SystemExit(main())

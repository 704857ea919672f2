"""What three standby policies save on four weeks of the demo's made-up past, and how long jobs wait for it.

``make bench`` runs it. Plan's rehearsal plays the same weeks with each policy and without one; a wake takes WAKE
seconds. Energy is that of a machine that draws WATTS when idle and WATTS_ASLEEP asleep.
"""

from __future__ import annotations

import json
import math
import time
from collections import defaultdict
from datetime import time as clock
from typing import Any

import numpy as np

from paddock_core.fleet import Host, Readiness
from paddock_core.planning.past import Ask, Past, Run, past_of
from paddock_core.planning.rehearsal import Setting, rehearse
from paddock_core.planning.standby_play import SleepRule
from paddock_core.standby.decide import SleepHours
from paddock_core.terms import parse_terms
from paddock_standins.description import all_hosts
from paddock_standins.made_up_runs import made_up_runs

WEEKS, WAKE = 4, 90.0
WATTS, WATTS_ASLEEP = 60.0, 2.0
POLICIES: tuple[tuple[str, float, SleepHours], ...] = (
    ("30 min idle, at any time", 1800.0, SleepHours()),
    ("10 min idle, at any time", 600.0, SleepHours()),
    ("30 min idle, 19:00 to 7:00", 1800.0, SleepHours(clock(19), clock(7))),
)


def four_weeks() -> Past:
    """The last weeks of the demo's made-up past. What a job asks for is put as a label of its own, which the hosts have
    that ran its like: so no job runs where the past never ran one."""
    records = [json.loads(line) for line in made_up_runs(all_hosts(), time.time())]
    past, _ = past_of([_run(record) for record in records if "job" in record])
    return past.where(past.sent >= past.sent[-1] - WEEKS * 7 * 86_400)


def _run(record: dict[str, Any]) -> Run:
    sent, started, ended = (float(record[name]) for name in ("sent", "started", "ended"))
    asked = "|".join([*record.get("terms", ()), str(record.get("slots", 1))])
    ask = Ask((f"label {_label(asked)}",), (), record.get("slots", 1))
    return Run(
        record["job"], sent, sent, started, started, ended, record["pipeline"], record["name"], record["host"], ask=ask
    )


def _label(asked: str) -> str:
    return "k" + "".join(letter if letter.isalnum() else "-" for letter in asked)


def hosts_of(past: Past) -> tuple[Host, ...]:
    """The hosts of that past, with the labels of what they ran."""
    labels: dict[int, set[str]] = defaultdict(set)
    for ask, host in set(zip(past.ask.tolist(), past.host.tolist(), strict=True)):
        labels[host].add(past.asks[ask].terms[0].removeprefix("label "))
    slots = {one.name: max(1, one.slots or one.cores // 2) for one in all_hosts()}
    return tuple(
        Host(name, "shoreline", "linux", "12", "x64", frozenset(labels[at]), (), Readiness.FREE,
             slots.get(name, 2), slots=slots.get(name, 2))
        for at, name in enumerate(past.hosts)
    )  # fmt: skip


def main() -> int:
    past = four_weeks()
    hosts = hosts_of(past)
    span = float(past.sent[-1] - past.sent[0])
    print(f"{len(past):,} jobs in {span / 604_800:.1f} weeks on {len(hosts)} hosts; a wake takes {WAKE:.0f} s")
    names = tuple(host.name for host in hosts)
    begin = time.perf_counter()
    awake = rehearse(Setting(past, hosts), parse_terms)
    usual = time.perf_counter() - begin
    print(f"{'always on':<28}95 of 100 wait under {_high(awake.waits):.0f} s")
    for name, idle, hours in POLICIES:
        rule = SleepRule(names, idle, hours, wakes=dict.fromkeys(names, WAKE))
        begin = time.perf_counter()
        found = rehearse(Setting(past, hosts, sleep=(rule,)), parse_terms)
        ratio = (time.perf_counter() - begin) / usual
        asleep = found.slept.hours
        added = float(np.nansum(found.waits - awake.waits)) / 60
        saved = (WATTS - WATTS_ASLEEP) * asleep / 1000
        print(f"{name:<28}{asleep:>8,.0f} h asleep ({asleep * 3600 / span / len(hosts):.0%}), {saved:,.0f} kWh")
        high = _high(found.waits)
        print(f"{'':<28}{added:>8,.0f} min of waiting added, {added * 60 / len(past):.1f} s a job, 95 of 100 under "
              f"{high:.0f} s; {found.slept.wakes:,} wakes; {ratio:.0f} times the play without")  # fmt: skip
    return 0


def _high(waits: np.ndarray) -> float:
    return float(np.sort(waits)[math.ceil(0.95 * len(waits)) - 1])


if __name__ == "__main__":
    raise SystemExit(main())

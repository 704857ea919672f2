"""Six weeks of made-up runs of the stand-ins, for Plan: what their pipelines sent, where it ran, how long it waited.

They go to the server as JSON Lines for ``paddock history --runs``, as from another server. A small queue of its own
places the jobs here (first come, first served on the hosts with the label), so that the waits are those of such a
fleet and not drawn from a hat.
"""

from __future__ import annotations

import heapq
import json
import random
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from .description import Description

WEEKS = 6
MINUTE, HOUR, DAY = 60.0, 3600.0, 86_400.0
ORIGIN = "before-yellow-paddock"
SLOW = {"bramley-01": 1.45}
OUT = ("laxton-01", 24, 2)
"""This host was out: from which day of the past, for how many days."""
PEOPLE = ("harbourmaster", "deckhand", "lookout", "tide-desk", "chart-desk")
OFFER_SECONDS = 1.2


@dataclass(frozen=True)
class Work:
    """One kind of job: its pipeline and name, the system and the label that it asks for, how many a working day sends,
    its middle length in minutes, and how it grows per week. ``nightly`` jobs come together at that hour."""

    pipeline: str
    name: str
    family: str
    label: str
    per_day: int
    minutes: float
    growth: float = 0.0
    nightly: int = -1

    @property
    def terms(self) -> list[str]:
        return [f"os {self.family}", *([f"label {self.label}"] if self.label else [])]


WORKS = (
    Work("pilot-mobile", "build-app", "macos", "mobile", 450, 10.5, growth=0.04),
    Work("pilot-mobile", "sign-app", "macos", "release-signing", 12, 4.0),
    Work("tide-gauge-firmware", "build-image", "linux", "bench-rig", 310, 7.0),
    Work("tide-gauge-firmware", "soak", "linux", "bench-rig", 40, 35.0, nightly=1),
    Work("tide-gauge-firmware", "calibrate", "linux", "gauge-rig", 9, 25.0),
    Work("buoy-telemetry", "decode", "linux", "", 450, 3.0),
    Work("harbour-chart-desktop", "build-charts", "windows", "desktop", 240, 13.0),
    Work("harbour-chart-desktop", "sign-tile-set", "windows", "release-signing", 10, 6.0),
    Work("almanac-docs", "build-site", "linux", "docs", 340, 2.5),
)
# Share of a working day's jobs in each hour (UTC).
HOURS = (1, 1, 1, 1, 1, 2, 3, 8, 14, 18, 19, 17, 12, 15, 18, 17, 13, 8, 5, 3, 2, 2, 1, 1)
WEEKEND = 0.08


def made_up_runs(hosts: Sequence[Description], now: float) -> Iterator[str]:
    """The lines of the file, by the end of the runs: the same for the same arguments. ``now`` is in seconds since the
    epoch; the past ends at the last midnight."""
    there = [host for host in hosts if not host.is_bare and not host.stays_at_the_gate]
    first = datetime.fromtimestamp(now, UTC).replace(hour=0, minute=0, second=0, microsecond=0) - timedelta(weeks=WEEKS)
    out, day, days = OUT
    since = first + timedelta(days=day)
    yield json.dumps({"closed": out, "since": _text(since), "until": _text(since + timedelta(days=days))})
    runs = _placed(there, _sent(first), (out, since.timestamp(), since.timestamp() + days * DAY))
    for run in sorted(runs, key=lambda one: float(one["ended"])):
        yield json.dumps(run)


def _sent(first: datetime) -> list[tuple[float, Work, float]]:
    """What is sent: when, what, and how long it takes on a usual host, in order."""
    chance = random.Random(62)  # noqa: S311 - a story, no secret
    found = []
    for day in range(7 * WEEKS):
        midnight = (first + timedelta(days=day)).timestamp()
        is_weekend = (first + timedelta(days=day)).weekday() >= 5
        for work in WORKS:
            usual = work.per_day * (1 + work.growth) ** (day / 7) * (WEEKEND if is_weekend else 1)
            number = usual * chance.uniform(0.97, 1.03)
            for _ in range(round(number)):
                hour = work.nightly if work.nightly >= 0 else chance.choices(range(24), HOURS)[0]
                spread = 5 * MINUTE if work.nightly >= 0 else HOUR
                length = work.minutes * MINUTE * chance.lognormvariate(0, 0.35)
                found.append((midnight + hour * HOUR + chance.uniform(0, spread), work, length))
    return sorted(found, key=lambda one: one[0])


def _placed(
    hosts: Sequence[Description], sent: Sequence[tuple[float, Work, float]], closed: tuple[str, float, float]
) -> Iterator[dict[str, Any]]:
    """The runs: each job on the first free slot of a host that has its label, first come, first served."""
    chance = random.Random(63)  # noqa: S311 - a story, no secret
    able = {
        work: [one for one in hosts if one.family == work.family and (not work.label or work.label in one.labels)]
        for work in WORKS
    }
    free = {host.name: max(1, host.slots) for host in hosts}
    waiting: dict[Work, deque[tuple[float, int, float]]] = {work: deque() for work in WORKS}
    ends: list[tuple[float, str]] = [(closed[2], "")]
    at = 0
    while at < len(sent) or ends:
        if ends and (at == len(sent) or ends[0][0] <= sent[at][0]):
            now, host = heapq.heappop(ends)
            if host:
                free[host] += 1
        else:
            now, work, length = sent[at]
            waiting[work].append((now, at + 1, length))
            at += 1
        for work in sorted((one for one in WORKS if waiting[one]), key=lambda one: waiting[one][0][0]):
            while waiting[work]:
                open_hosts = [
                    one for one in able[work]
                    if free[one.name] > 0 and not (one.name == closed[0] and closed[1] <= now < closed[2])
                ]  # fmt: skip
                if not open_hosts:
                    break
                chosen = max(open_hosts, key=lambda one: free[one.name])
                began, job, length = waiting[work].popleft()
                free[chosen.name] -= 1
                run = _run(chance, job, work, chosen, began, now, length)
                heapq.heappush(ends, (run["ended"], chosen.name))
                yield run


def _run(
    chance: random.Random, job: int, work: Work, host: Description, sent: float, placed: float, length: float
) -> dict[str, Any]:
    started = placed + OFFER_SECONDS
    took = length * SLOW.get(host.name, 1.0) * chance.lognormvariate(0, 0.08)
    passed = chance.random() > 0.07
    return {
        "job": job, "sent": round(sent, 3), "placed": round(placed, 3), "started": round(started, 3),
        "ended": round(started + (took if passed else took * chance.random()), 3), "pipeline": work.pipeline,
        "name": work.name, "host": host.name, "paddock": host.paddock, "system": work.family,
        "person": PEOPLE[job % len(PEOPLE)], "terms": work.terms, "outcome": "passed" if passed else "failed",
    }  # fmt: skip


def _text(moment: datetime) -> str:
    return moment.isoformat()

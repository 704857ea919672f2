"""A rehearsal: a stretch of the recorded past, played again in virtual time by the rules that dispatch real jobs.

The state of the line and the slots is that of ``dispatch.line``, so the same code decides as in the dispatch round.
What happens is a list of events in the order of time: a job is free to start, a run ends, a host closes or opens. After
all events of one moment, a round.

What it cannot know: jobs that people cancelled while they waited are not played, and a run that was lost or cut off
ends after the time that it really had.
"""

from __future__ import annotations

import functools
import math
import operator
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from heapq import heappop, heappush
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..dispatch.host_places import HostPlaces
from ..dispatch.line import Line
from ..dispatch.shares import EXPECTED_SECONDS, HALF_LIFE, SECONDS_A_PRIORITY
from ..fit import Fitting, Requirement
from ..fleet import Host, Readiness
from ..fleet_index import FleetIndex
from ..terms import Term
from .past import PASSED, Past, Times
from .standby_play import LOOK_SECONDS, NOT_SLEPT, SleepRule, Slept, StandbyPlay
from .use import quantiles

RATE = math.log(2) / HALF_LIFE
WARM_SECONDS = 24 * 3600.0
MAX_WARM = 8
"""Hosts on which a pipeline's work folder counts as warm: the last ones that it worked on."""
LENGTHS_AVERAGED = 20
"""The last runs of a job from which its length is expected."""
PROGRESS_EVENTS = 2_000
MAX_CALM = 8 * 86_400.0
"""Seconds after the last event for which standby looks on: longer than its hours let a host wait to sleep. Without an
end, a host that is closed for good and that a job waits for would be woken for ever."""

END, CLOSE, UP, COME, LOOK = range(5)
"""What happens at one moment, in this order: runs end, hosts close or open, hosts that were woken are up, jobs are free
to start; and standby looks again."""

ReadTerms = Callable[[tuple[str, ...]], tuple[Term, ...]]


@dataclass(frozen=True)
class Closure:
    """A time during which a host takes no jobs: it was held, lost or in a maintenance window."""

    host: str
    since: float
    until: float


@dataclass(frozen=True)
class Setting:
    """What is played, and where: the runs, from ``since`` on, against a fleet.

    ``fences`` has for each paddock the pipelines that it lets in; a paddock that is not there lets in all. ``speeds``
    are factors of length by host (see ``speed``), 1 for hosts that are not there. Hosts power down and wake by
    ``sleep``. ``latency`` is what every wait has on top, in seconds: the time until a free slot is offered.
    """

    past: Past
    hosts: tuple[Host, ...]
    since: float = -math.inf
    fences: Mapping[str, frozenset[str]] = field(default_factory=dict)
    closures: tuple[Closure, ...] = ()
    speeds: Mapping[str, float] = field(default_factory=dict)
    latency: float = 0.0
    sleep: tuple[SleepRule, ...] = ()


@dataclass(frozen=True)
class Rehearsed:
    """How it went. Columns of shape (n,), parallel to the runs of the setting: when each was free to start, was given
    to a host, and ended, and which host (a number into ``hosts``; -1 for none). Times are NaN for what never happens.
    ``fits`` says of each run whether any host fits it. ``events`` is how many were played."""

    released: Times
    placed: Times
    ended: Times
    host: NDArray[np.int32]
    hosts: tuple[str, ...]
    fits: NDArray[np.bool_]
    latency: float
    events: int
    slept: Slept = NOT_SLEPT

    @property
    def waits(self) -> Times:
        """Seconds, NaN for runs that never start."""
        return self.placed - self.released + self.latency


def usual_latency(past: Past) -> float:
    """The seconds until a free slot is offered: the fifth percentile of the recorded waits. A busy fleet has no fewer
    waits without a queue than that."""
    return quantiles(past.waits, (0.05,))[0] if len(past) else 0.0


def expected_lengths(past: Past) -> Times:
    """The length that the server would have expected of each run when it was sent, in seconds: the mean of the last
    passed runs of its job that had ended by then."""
    expected = np.full(len(past), EXPECTED_SECONDS)
    key = past.pipeline.astype(np.int64) * (len(past.names) + 1) + past.name
    order = np.argsort(key, kind="stable")
    edges = np.flatnonzero(np.r_[True, np.diff(key[order]) != 0, True])
    for start, end in pairwise(edges) if len(past) else ():
        rows = order[start:end]
        passed = rows[past.outcome[rows] == PASSED]
        passed = passed[np.argsort(past.ended[passed], kind="stable")]
        total = np.r_[0.0, np.cumsum(past.lengths[passed])]
        known = np.searchsorted(past.ended[passed], past.sent[rows], side="right")
        first = np.maximum(known - LENGTHS_AVERAGED, 0)
        some = known > 0
        expected[rows[some]] = ((total[known] - total[first]) / np.maximum(known - first, 1))[some]
    return expected


def rehearse(setting: Setting, read_terms: ReadTerms, progress: Callable[[float], None] | None = None) -> Rehearsed:
    """Plays the setting. ``progress`` is called now and then with the share that is done; what it raises ends the
    rehearsal."""
    return _Rehearsal(setting, read_terms).play(progress or (lambda _: None))


class _Rehearsal:
    def __init__(self, setting: Setting, read_terms: ReadTerms) -> None:
        past = setting.past
        self.setting = setting
        ready = [replace(host, readiness=Readiness.FREE, free_slots=host.slots) for host in setting.hosts]
        index = FleetIndex(ready)
        self.places = HostPlaces(index)
        self.hosts = self.places.hosts
        self.line = Line(len(self.hosts))
        self.slots = 0
        self.closed = [0] * len(self.hosts)
        for at, host in enumerate(self.hosts):
            self.line.rooms.change(at, host.slots)
            self._open(at)
        self.standby: StandbyPlay | None = None
        self.asked: list[Requirement] = []
        self.fitting: list[int] = []
        self.kind_of, self.fits = self._kinds(index, read_terms)
        # Plain lists: the loop reads single numbers, which cost more out of an array.
        # As the server counts: a job ages from when it was sent, even while it waits for others.
        self.own = (SECONDS_A_PRIORITY * past.priority - past.sent).tolist()
        self.weight = expected_lengths(past).tolist()
        self.size = past.slots.tolist()
        self.pipeline = [past.pipelines[at] for at in past.pipeline.tolist()]
        self.length = past.lengths.tolist()
        self.offer = (past.started - past.placed).tolist()
        numbers = {host.name: at for at, host in enumerate(self.hosts)}
        known = np.array([setting.speeds.get(name, 1.0) for name in past.hosts] or [1.0])
        self.work = (past.lengths / known[past.host]).tolist()
        """The length of each run on a host of factor 1."""
        self.factor = [setting.speeds.get(host.name, 1.0) for host in self.hosts]
        self.recorded = np.array([numbers.get(name, -1) for name in past.hosts] or [-1])[past.host].tolist()
        self.heap: list[tuple[float, int, int, int]] = []
        """What happens: when, what, and of what: an end of a run on a host, or a host that closes or opens."""
        self.use: dict[str, list[float]] = {}
        """By pipeline: decayed slot-seconds, as of when, and the slots that it works on."""
        self.warm: dict[str, dict[int, float]] = defaultdict(dict)
        self.released = np.full(len(past), np.nan)
        self.placed = np.full(len(past), np.nan)
        self.ended = np.full(len(past), np.nan)
        self.host = np.full(len(past), -1, np.int32)
        self.waiting: dict[int, float] = {}
        """With standby, the runs that wait, each with what puts it in front."""
        self.looks_at = math.inf
        self.happened_at = 0.0
        self._follow()
        if setting.sleep:
            self.standby = StandbyPlay(
                setting.sleep, self.hosts, index, max(setting.since, float(past.sent.min()) if len(past) else 0.0),
                lambda at: self._close(at, 1), lambda at: self._close(at, -1),
            )  # fmt: skip

    # ---- before the play -----------------------------------------------------------------------------------------

    def _kinds(self, index: FleetIndex, read_terms: ReadTerms) -> tuple[list[int], NDArray[np.bool_]]:
        """The kind of each run for the line, and whether any host fits it."""
        past, fences = self.setting.past, self.setting.fences
        fenced = {pipeline for let_in in fences.values() for pipeline in let_in} | {""}
        paddocks = {host.paddock for host in self.hosts}
        kinds: dict[tuple[int, str], int] = {}
        requirements: dict[Requirement, tuple[Fitting, int]] = {}
        fits = []
        found = []
        for ask, pipeline in zip(past.ask.tolist(), past.pipeline.tolist(), strict=True):
            name = past.pipelines[pipeline] if fences else ""
            key = (ask, name if name in fenced else "")
            if key not in kinds:
                wanted = past.asks[ask]
                let_in = None
                if fences:
                    let_in = frozenset(one for one in paddocks if one not in fences or name in fences[one])
                reach = frozenset(wanted.paddocks) or None
                requirement = Requirement(read_terms(wanted.terms), wanted.slots, reach, let_in)
                fitting, number = requirements.setdefault(requirement, (Fitting(requirement, index), len(requirements)))
                tiers = self.places.tiers(fitting, read_terms(wanted.prefers))
                kinds[key] = self.line.add_kind(tiers, wanted.slots, number)
                self.asked.append(requirement)
                self.fitting.append(functools.reduce(operator.or_, tiers, 0))
                fits.append(tiers != (0,))
            found.append(kinds[key])
        return found, np.array(fits or [False])[np.array(found, int)] if found else np.zeros(0, bool)

    def _follow(self) -> None:
        """Who waits for whom: for the last run of each job before it; and a job's next run for the one before."""
        past = self.setting.past
        last = {job: at for at, job in enumerate(past.job.tolist())}
        before: dict[int, set[int]] = defaultdict(set)
        for at, job in zip(past.after_run.tolist(), past.after_job.tolist(), strict=True):
            if job in last and last[job] != at:
                before[at].add(last[job])
        seen: dict[int, int] = {}
        for at, job in enumerate(past.job.tolist()):
            if job in seen:
                before[at].add(seen[job])
            seen[job] = at
        self.left = {at: len(some) for at, some in before.items()}
        self.followers: dict[int, list[int]] = defaultdict(list)
        self.gap: dict[int, float] = {}
        for at, some in before.items():
            done = max(past.sent[at], *(past.ended[one] for one in some))
            self.gap[at] = max(0.0, float(past.released[at] - done))
            for one in some:
                self.followers[one].append(at)

    def _start_state(self) -> list[tuple[float, int]]:
        """Puts in what ran at the beginning; returns when each other run comes, in order."""
        past, since = self.setting.past, self.setting.since
        coming = []
        for at, (released, placed, ended) in enumerate(
            zip(past.released.tolist(), past.placed.tolist(), past.ended.tolist(), strict=True)
        ):
            if placed < since:
                self.released[at], self.placed[at] = released, placed
                where = self.recorded[at]
                if where >= 0 and ended > since and self.line.rooms.room[where] >= self.size[at]:
                    self._occupy(at, where, since, ended)
                else:
                    heappush(self.heap, (max(since, ended), END, at, -1))
            elif at not in self.left:
                coming.append((max(released, since), at))
                self.released[at] = released
        for closure in self.setting.closures:
            where = self.places.place(closure.host)
            if where is not None and closure.until > closure.since:
                heappush(self.heap, (max(closure.since, since), CLOSE, where, 1))
                if closure.until < math.inf:  # a host that never opens again starts nothing at the end of time
                    heappush(self.heap, (max(closure.until, since), CLOSE, where, -1))
        coming.sort()
        return coming

    # ---- the play ------------------------------------------------------------------------------------------------

    def play(self, progress: Callable[[float], None]) -> Rehearsed:
        coming = self._start_state()
        heap, line = self.heap, self.line
        at, number, events = 0, len(coming), 0
        while at < number or heap:
            now = coming[at][0] if at < number else math.inf
            if heap and heap[0][0] <= now:
                now = heap[0][0]
            while heap and heap[0][0] <= now:
                _, what, one, where = heappop(heap)
                events += 1
                if what == END:
                    self._end(one, where, now)
                elif what == CLOSE:
                    self._close(one, where)
                elif what == UP:
                    self._up(one, now)
                elif what == COME:
                    self._come(one, now)
                if what != LOOK and what != UP:
                    self.happened_at = now
            while at < number and coming[at][0] <= now:
                self._come(coming[at][1], now)
                self.happened_at = now
                at += 1
                events += 1
            if len(line):
                self._round(now)
            if self.standby is not None:
                self._power(self.standby, now)
            if events % PROGRESS_EVENTS < 2 and number:
                progress(at / number)
        return Rehearsed(
            self.released, self.placed, self.ended, self.host, tuple(host.name for host in self.hosts),
            self.fits, self.setting.latency, events, self._slept(),
        )  # fmt: skip

    def _come(self, run: int, now: float) -> None:
        pipeline = self.pipeline[run]
        warm = self.warm[pipeline]
        while warm and next(iter(warm.values())) < now - WARM_SECONDS:
            self.line.warm[pipeline] &= ~(1 << next(iter(warm)))
            del warm[next(iter(warm))]
        self.line.add(run, pipeline, self.kind_of[run], self.own[run], self.weight[run])
        if self.standby is not None:
            self.waiting[run] = self.own[run]
            if self.fitting[self.kind_of[run]] & self.standby.asleep:
                self.standby.wants_look = True

    def _round(self, now: float) -> None:
        for run, where in self.line.round(lambda: self._shares(now), self.slots).items():
            same = where == self.recorded[run]
            length = self.length[run] if same else self.work[run] * self.factor[where]
            self.placed[run] = now
            self.waiting.pop(run, None)
            self._occupy(run, where, now, now + self.offer[run] + length, is_counted=True)

    def _occupy(self, run: int, where: int, now: float, ends: float, is_counted: bool = False) -> None:
        if not is_counted:
            self.line.rooms.change(where, -self.size[run])
        self.host[run] = where
        heappush(self.heap, (ends, END, run, where))
        if self.standby is not None:
            self.standby.starts(run, where, self.size[run], now, self.weight[run])
        pipeline = self.pipeline[run]
        self._work(pipeline, now, self.size[run])
        warm = self.warm[pipeline]
        warm.pop(where, None)
        warm[where] = now
        bits = self.line.warm.get(pipeline, 0) | 1 << where
        if len(warm) > MAX_WARM:
            oldest = next(iter(warm))
            del warm[oldest]
            bits &= ~(1 << oldest)
        self.line.warm[pipeline] = bits

    def _end(self, run: int, where: int, now: float) -> None:
        self.ended[run] = now
        if where >= 0:
            self.line.rooms.change(where, self.size[run])
            self._work(self.pipeline[run], now, -self.size[run])
            if self.standby is not None and (due := self.standby.ends(run, where, now)) is not None:
                self._look(due)
        for other in self.followers.get(run, ()):
            self.left[other] -= 1
            if not self.left[other] and np.isnan(self.placed[other]):
                self.released[other] = max(now, float(self.setting.past.sent[other])) + self.gap[other]
                if self.released[other] <= now:
                    self._come(other, now)
                else:
                    heappush(self.heap, (float(self.released[other]), COME, other, -1))

    def _close(self, where: int, by: int) -> None:
        was = self.closed[where]
        self.closed[where] += by
        if was == 0 and by > 0:
            self.line.rooms.set_ready(where, False)
            self.slots -= self.hosts[where].slots
        elif was + by == 0:
            self._open(where)

    def _open(self, where: int) -> None:
        self.line.rooms.set_ready(where, True)
        self.slots += self.hosts[where].slots

    # ---- standby -------------------------------------------------------------------------------------------------

    def _power(self, standby: StandbyPlay, now: float) -> None:
        """Decides where the decision can differ from the last one."""
        if not (standby.wants_look or now >= self.looks_at):
            return
        if now >= self.looks_at:
            self.looks_at = math.inf
        waiting = [(run, self.asked[self.kind_of[run]]) for run in sorted(self.waiting, key=self._before)]
        coming, again = standby.decide(now, waiting)
        for up, where in coming:
            heappush(self.heap, (up, UP, where, -1))
        if again is not None:
            self._look(max(again, now + 1.0))
        if waiting and standby.asleep and any(self.fitting[self.kind_of[run]] & standby.asleep for run in self.waiting):
            self._look(now + LOOK_SECONDS)

    def _before(self, run: int) -> tuple[float, int]:
        return -self.waiting[run], run

    def _look(self, at: float) -> None:
        """Looks again then, at the latest. Only the next look is kept: each one finds the one after it."""
        if at < self.looks_at and at < self.happened_at + MAX_CALM:
            self.looks_at = at
            heappush(self.heap, (at, LOOK, 0, -1))

    def _up(self, where: int, now: float) -> None:
        assert self.standby is not None
        self._look(self.standby.is_up(where, now))

    def _slept(self) -> Slept:
        past = self.setting.past
        return self.standby.slept(float(past.sent[-1])) if self.standby is not None and len(past) else NOT_SLEPT

    # ---- shares --------------------------------------------------------------------------------------------------

    def _work(self, pipeline: str, now: float, slots: int) -> None:
        used = self.use.get(pipeline)
        if used is None:
            self.use[pipeline] = [0.0, now, slots]
            return
        used[0] = _decayed(used, now)
        used[1] = now
        used[2] += slots

    def _shares(self, now: float) -> dict[str, float]:
        return {name: _decayed(used, now) for name, used in self.use.items()}


def _decayed(used: Sequence[float], now: float) -> float:
    """What ``shares.decayed_use`` gives, from the value at an earlier moment and the slots that worked since."""
    kept = math.exp(-RATE * (now - used[1]))
    return used[0] * kept + used[2] * (1 - kept) / RATE

"""Which hosts to wake and which to power down now. Pure: queue, fleet, policies and times in, instructions out.

Waking. Waiting jobs are taken in the order of dispatch, and matched to slots as dispatch matches them. Slots that come
free anyhow before a sleeper could be up are matched first: no host is woken for a job that has one of those. The rest
is matched to sleepers. A job that finds no free slot opens a sleeper that fits it: the one that serves the most of the
jobs still to come, then the surest, then the fastest. Where all that fit are open, jobs placed before move to make
room, and a sleeper that one of them fits is opened. By the matroid property of such matchings no set of sleepers starts
more jobs. At the end a sleeper that the others can do without is left asleep.

Going down is the reverse: a host sleeps if it has been idle for long enough, no waiting job fits it, and every rule
that keeps hosts awake still holds without it.

No flapping. A host powers down only when it has been up for ``settle_seconds``, an hour, and wakes at any time. So
between a wake and the next power-down there is at least an hour, and any three changes in a row contain such a pair:
within any hour a host changes at most twice.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, time
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ..dispatch.host_places import packed
from ..dispatch.matching import Kind, Matching, Rooms
from ..dispatch.tally import Tally
from ..fit import Fitting, Requirement
from ..fleet import Host
from ..fleet_index import FleetIndex, unpacked
from .power import USUAL_WAKE_SECONDS, Power

SETTLE_SECONDS = 3600.0
"""The shortest time that a host stays on after it came up; a policy can only make it longer."""
OVERDUE_SHARE = 0.5
"""A job that runs longer than expected is expected to run on for this share of what it has taken: it may hang."""
MAX_JOBS_EXAMINED = 5_000
MAX_PRUNINGS = 20
"""Sleepers that are tried to be left out again: each costs a matching of its own."""


class Mode(StrEnum):
    """What a policy lets the server do: nothing, only what a person asks for, or wake hosts when jobs wait."""

    NEVER = "never"
    BY_HAND = "by hand"
    ON_DEMAND = "when jobs wait"


@dataclass(frozen=True)
class SleepHours:
    """When hosts may power down: between two times of the day on some days (0 for Monday), by the caller's clock. Hours
    that end before they begin go over midnight, and belong to the day on which they begin."""

    begins: time = time(0)
    ends: time = time(0)
    days: tuple[int, ...] = (0, 1, 2, 3, 4, 5, 6)

    def holds(self, now: datetime) -> bool:
        """Whether ``now``, a time on the wall, is inside."""
        clock, day = now.time(), now.weekday()
        if self.begins == self.ends:
            return day in self.days
        if self.begins < self.ends:
            return day in self.days and self.begins <= clock < self.ends
        return (day in self.days and clock >= self.begins) or ((day - 1) % 7 in self.days and clock < self.ends)


@dataclass(frozen=True)
class Policy:
    """What holds for a host. Times in seconds. ``may_sleep_now`` is whether its hours allow it to power down now."""

    mode: Mode = Mode.NEVER
    idle_seconds: float = 1800.0
    up_seconds: float = SETTLE_SECONDS
    may_sleep_now: bool = True


@dataclass(frozen=True)
class KeepAwake:
    """At least ``awake`` of the hosts that meet ``requirement`` are on, and ``free`` of them have a free slot."""

    name: str
    requirement: Requirement
    awake: int = 0
    free: int = 0


@dataclass(frozen=True)
class Sleeper:
    """A host that may sleep. ``since`` is when its power came to be as it is, ``idle_since`` when its last job ended
    (None while it works), both in seconds since the epoch; ``wake_seconds`` and ``odds`` are learnt. ``stays``: it
    cannot power down now. ``wanted_by`` names other work that needs it on, such as a chore, "" for none. One that
    ``returns`` was woken for such work, and powers down after it even if otherwise only a person powers it down."""

    host: str
    power: Power
    since: float
    policy: Policy
    idle_since: float | None = None
    wake_seconds: float = USUAL_WAKE_SECONDS
    odds: float = 0.5
    stays: bool = False
    wanted_by: str = ""
    returns: bool = False


@dataclass(frozen=True)
class Wanted:
    """A waiting job, in the order of dispatch."""

    id: int
    requirement: Requirement


@dataclass(frozen=True)
class Wake:
    """Wake this host: for these jobs, for the rule ``keeps``, or for the work ``wanted_by``."""

    host: str
    jobs: tuple[int, ...] = ()
    keeps: str = ""
    wanted_by: str = ""


@dataclass(frozen=True)
class PowerDown:
    """Power this host down; ``why`` is a sentence."""

    host: str
    why: str


@dataclass(frozen=True)
class Decision:
    """What to do now. ``short`` are rules for which there are not enough hosts, with how many are missing.
    ``look_again`` is in how many seconds time alone may change the decision, None if it cannot."""

    wakes: tuple[Wake, ...] = ()
    downs: tuple[PowerDown, ...] = ()
    short: Mapping[str, int] = field(default_factory=dict)
    look_again: float | None = None


def expected_end(now: float, took: float, expected: float) -> float:
    """When a job ends that has run for ``took`` seconds, of ``expected`` in all.

    >>> [expected_end(1000.0, took, 60.0) for took in (20.0, 80.0)]
    [1040.0, 1040.0]
    """
    return now + (expected - took if took < expected else OVERDUE_SHARE * took)


def decide(
    now: float,
    index: FleetIndex,
    sleepers: Sequence[Sleeper],
    waiting: Sequence[Wanted] = (),
    ends: Sequence[tuple[str, float]] = (),
    keeps: Sequence[KeepAwake] = (),
    settle_seconds: float = SETTLE_SECONDS,
) -> Decision:
    """``ends`` are the slots that work, each as its host and the moment at which its job is expected to end."""
    wanted = [one for one in sleepers if one.wanted_by and one.power is Power.ASLEEP]
    # A host that comes up for other work serves jobs and rules as well.
    by_name = {one.host: one for one in sleepers} | {one.host: replace(one, power=Power.WAKING) for one in wanted}
    round_ = _Round(now, index, by_name)
    wakes = round_.for_jobs(waiting[:MAX_JOBS_EXAMINED], ends) if waiting else {}
    kept, short = round_.for_rules(keeps, set(wakes))
    downs, again = round_.downs(waiting, keeps, {*wakes, *(wake.host for wake in kept)}, settle_seconds)
    for_work = (Wake(one.host, wanted_by=one.wanted_by) for one in wanted)
    return Decision((*wakes.values(), *kept, *for_work), tuple(downs), short, again)


class _Round:
    """The hosts as places in a row: first all that there are, by name, so that equals are chosen alike every time."""

    def __init__(self, now: float, index: FleetIndex, sleepers: Mapping[str, Sleeper]) -> None:
        self.now, self.index, self.sleepers = now, index, sleepers
        everywhere = np.array(index.places_in(index.state("there")), int)
        self.order = everywhere[np.argsort(index.name_ranks()[everywhere])] if len(everywhere) else everywhere
        self.hosts: list[Host] = [index.at(int(place)) for place in self.order]
        self.place = {host.name: at for at, host in enumerate(self.hosts)}
        self.slots = np.array([host.slots for host in self.hosts], int)
        self.can_wake = np.array([self._can_wake(host) for host in self.hosts], bool)
        self.is_ready = np.array([host.is_ready for host in self.hosts], bool)
        self.has_free = np.array([host.free_slots > 0 for host in self.hosts], bool)
        self.waking = self._places(one.host for one in sleepers.values() if one.power is Power.WAKING)
        rank = sorted(np.flatnonzero(self.can_wake).tolist(), key=self._by_worth)
        self.worth = np.zeros(len(self.hosts))
        self.worth[rank] = np.arange(len(rank), 0, -1)
        self._fits: dict[int, NDArray[np.bool_]] = {}

    def _places(self, names: Iterable[str]) -> NDArray[np.bool_]:
        found = np.zeros(len(self.hosts), bool)
        found[[self.place[name] for name in names if name in self.place]] = True
        return found

    def _can_wake(self, host: Host) -> bool:
        sleeper = self.sleepers.get(host.name)
        return (
            sleeper is not None
            and sleeper.power is Power.ASLEEP
            and sleeper.policy.mode is Mode.ON_DEMAND
            and host.is_admitted
            and not host.held
        )

    def _by_worth(self, at: int) -> tuple[float, float, str]:
        sleeper = self.sleepers[self.hosts[at].name]
        return -sleeper.odds, sleeper.wake_seconds, sleeper.host

    def fits(self, requirement: Requirement) -> NDArray[np.bool_]:
        """Where a job could run if the host were on, shape (hosts,). Jobs that ask for the same share one requirement,
        and telling those apart by what they are costs less than by what they say."""
        if id(requirement) not in self._fits:
            bits = unpacked(Fitting(requirement, self.index).fits)
            self._fits[id(requirement)] = bits[self.order].astype(bool)
        return self._fits[id(requirement)]

    # ---- waking --------------------------------------------------------------------------------------------------

    def for_jobs(self, waiting: Sequence[Wanted], ends: Sequence[tuple[str, float]]) -> dict[str, Wake]:
        """The wakes for waiting jobs, by host."""
        requirements = {id(job.requirement): job.requirement for job in waiting}
        sleep_fits = {key for key, one in requirements.items() if (self.fits(one) & self.can_wake).any()}
        some = [job for job in waiting if id(job.requirement) in sleep_fits]
        if not some:
            return {}
        left = self._without_slot(waiting, some, ends)
        matching = Matching(Rooms(len(self.hosts)), Tally())
        demand = np.zeros(len(self.hosts), int)
        weights = {id(job.requirement): self.fits(job.requirement).astype(int) for job in left}
        for job in left:
            demand += weights[id(job.requirement)]
        opened: list[int] = []
        kinds = self._kinds(left, self.can_wake)
        closed = self.can_wake.copy()
        for job in left:
            kind, fits = kinds[id(job.requirement)], self.fits(job.requirement)
            demand -= weights[id(job.requirement)]
            # Moving others costs more than opening one that the end finds to be spare.
            if kind.slots == 1 and matching.add_without_moving(job.id, kind):
                continue
            helpful = fits & closed
            if (kind.slots > 1 or not helpful.any()) and _add(matching, job, kind):
                continue
            if not helpful.any():
                # Those to which a job placed before can move: not each of them leads to room for this one.
                helpful = _truth(matching.reached, len(self.hosts)) & closed
            at = self._open_for(matching, job, kind, helpful, demand)
            if at is not None:
                closed[at] = False
                opened.append(at)
        host_of = self._pruned(left, kinds, opened, dict(matching.host_of))
        jobs: dict[int, list[int]] = defaultdict(list)
        for job_id, at in host_of.items():
            jobs[at].append(job_id)
        return {self.hosts[at].name: Wake(self.hosts[at].name, tuple(sorted(some))) for at, some in jobs.items()}

    def _open_for(
        self, matching: Matching, job: Wanted, kind: Kind, helpful: NDArray[np.bool_], demand: NDArray[np.int64]
    ) -> int | None:
        """Opens the best of the helpful sleepers with which the job finds room, and places it; None without one."""
        while (at := self._best(helpful, demand, kind.slots)) is not None:
            matching.rooms.change(at, self.hosts[at].slots)
            matching.rooms.set_ready(at, True)
            matching.forget_failures()
            if _add(matching, job, kind):
                return at
            matching.rooms.set_ready(at, False)
            matching.rooms.change(at, -self.hosts[at].slots)
            matching.forget_failures()
            helpful[at] = False
        return None

    def _without_slot(
        self, waiting: Sequence[Wanted], some: Sequence[Wanted], ends: Sequence[tuple[str, float]]
    ) -> list[Wanted]:
        """The jobs for which no slot comes free before the fastest sleeper that fits one of them could be up."""
        fastest = np.zeros(len(self.hosts), bool)
        for requirement in {id(job.requirement): job.requirement for job in some}.values():
            fastest |= self.fits(requirement) & self.can_wake
        horizon = min(self.sleepers[self.hosts[at].name].wake_seconds for at in np.flatnonzero(fastest).tolist())
        rooms, awake = Rooms(len(self.hosts)), np.zeros(len(self.hosts), bool)
        awake |= self.waking | self.is_ready
        for at in np.flatnonzero(self.waking).tolist():
            rooms.change(at, self.hosts[at].slots)
        for at in np.flatnonzero(self.is_ready & self.has_free & ~self.waking).tolist():
            rooms.change(at, self.hosts[at].free_slots)
        rooms.ready = packed(awake)
        rooms.free = sum(1 << at for at in np.flatnonzero(awake).tolist() if rooms.room[at])
        for name, end in ends:
            coming = self.place.get(name)
            if coming is not None and awake[coming] and end <= self.now + horizon:
                rooms.change(coming, 1)
        matching, kinds = Matching(rooms, Tally()), self._kinds(waiting, awake)
        # In the order of dispatch, all of them: a slot that comes free goes to the first job that fits it.
        placed = {job.id for job in waiting if _add(matching, job, kinds[id(job.requirement)])}
        return [job for job in some if job.id not in placed]

    def _kinds(self, jobs: Sequence[Wanted], inside: NDArray[np.bool_]) -> dict[int, Kind]:
        """The kinds of these jobs on some hosts, by the identities of their requirements."""
        requirements = {id(job.requirement): job.requirement for job in jobs}
        return {
            key: Kind((packed(self.fits(one) & inside),), family, one.slots)
            for family, (key, one) in enumerate(requirements.items())
        }

    def _best(self, candidates: NDArray[np.bool_], demand: NDArray[np.int64], slots: int) -> int | None:
        places = np.flatnonzero(candidates)
        if not len(places):
            return None
        room = self.slots[places]
        places, room = places[room >= slots], room[room >= slots]
        if not len(places):
            return None
        served = np.minimum(room - slots, demand[places])
        return int(places[np.lexsort((-self.worth[places], -served))[0]])

    def _pruned(
        self, jobs: Sequence[Wanted], kinds: Mapping[int, Kind], opened: Sequence[int], host_of: dict[int, int]
    ) -> dict[int, int]:
        """The same jobs on fewer hosts, where one of those that were opened can be left out."""
        placed = [job for job in jobs if job.id in host_of]
        spare = sum(self.hosts[at].slots for at in opened) - sum(job.requirement.slots for job in placed)
        tries = MAX_PRUNINGS
        for at in sorted(opened, key=lambda place: (self.hosts[place].slots, self.worth[place])):
            if self.hosts[at].slots > spare or len(set(host_of.values())) < 2 or not tries:
                continue
            tries -= 1
            rooms = Rooms(len(self.hosts))
            for other in {*host_of.values()} - {at}:
                rooms.change(other, self.hosts[other].slots)
                rooms.set_ready(other, True)
            matching = Matching(rooms, Tally())
            if all(_add(matching, job, kinds[id(job.requirement)]) for job in placed):
                host_of = dict(matching.host_of)
                spare -= self.hosts[at].slots
        return host_of

    # ---- rules that keep hosts awake -----------------------------------------------------------------------------

    def for_rules(self, keeps: Sequence[KeepAwake], waking: set[str]) -> tuple[list[Wake], dict[str, int]]:
        """The wakes for rules, beyond those for jobs; and how many hosts a rule lacks that nothing can wake."""
        found: list[Wake] = []
        short: dict[str, int] = {}
        chosen = self._places(waking)
        nothing = np.zeros(len(self.hosts), bool)
        for rule in keeps:
            fits = self.fits(rule.requirement)
            awake, free = self._awake(fits, chosen, nothing)
            missing = max(rule.awake - awake, rule.free - free)
            places = np.flatnonzero(fits & self.can_wake & ~chosen)
            places = places[np.argsort(-self.worth[places], kind="stable")]
            for at in places[: max(0, missing)].tolist():
                found.append(Wake(self.hosts[at].name, keeps=rule.name))
                chosen[at] = True
            if missing > len(places):
                short[rule.name] = missing - len(places)
        return found, short

    def _awake(self, fits: NDArray[np.bool_], waking: NDArray[np.bool_], without: NDArray[np.bool_]) -> tuple[int, int]:
        """How many of these hosts are on or coming up, and how many of them have a free slot."""
        comes = waking | self.waking
        awake = fits & (comes | self.is_ready) & ~without
        return int(awake.sum()), int((awake & (comes | self.has_free)).sum())

    # ---- going down ----------------------------------------------------------------------------------------------

    def downs(
        self, waiting: Sequence[Wanted], keeps: Sequence[KeepAwake], waking: set[str], settle_seconds: float
    ) -> tuple[list[PowerDown], float | None]:
        """The hosts that power down, those that have been idle longest first; and when the next one may."""
        wanted = np.zeros(len(self.hosts), bool)
        for requirement in {id(job.requirement): job.requirement for job in waiting}.values():
            wanted |= self.fits(requirement)
        found: list[PowerDown] = []
        gone, coming = np.zeros(len(self.hosts), bool), self._places(waking)
        again: float | None = None
        idle = [
            sleeper
            for sleeper in self.sleepers.values()
            if sleeper.power is Power.ON and _may_go(sleeper) and sleeper.idle_since is not None
        ]
        for sleeper in sorted(idle, key=lambda one: (one.idle_since or 0.0, one.host)):
            at = self.place.get(sleeper.host)
            if at is None or wanted[at] or sleeper.stays or sleeper.wanted_by or not self._is_idle(self.hosts[at]):
                continue
            policy = sleeper.policy
            due = max(
                (sleeper.idle_since or 0.0) + policy.idle_seconds,
                sleeper.since + max(policy.up_seconds, settle_seconds),
            )
            if due > self.now:
                again = due - self.now if again is None else min(again, due - self.now)
                continue
            gone[at] = True
            if policy.may_sleep_now and self._hold_without(keeps, at, coming, gone):
                minutes = round((self.now - (sleeper.idle_since or 0.0)) / 60)
                found.append(
                    PowerDown(sleeper.host, f"It has been idle for {minutes} min, and no waiting job fits it.")
                )
            else:
                gone[at] = False
        return found, again

    def _is_idle(self, host: Host) -> bool:
        return host.is_ready and host.free_slots == host.slots

    def _hold_without(
        self, keeps: Sequence[KeepAwake], at: int, waking: NDArray[np.bool_], gone: NDArray[np.bool_]
    ) -> bool:
        for rule in keeps:
            fits = self.fits(rule.requirement)
            if fits[at]:
                awake, free = self._awake(fits, waking, gone)
                if awake < rule.awake or free < rule.free:
                    return False
        return True


def _may_go(sleeper: Sleeper) -> bool:
    mode = sleeper.policy.mode
    return mode is Mode.ON_DEMAND or (mode is Mode.BY_HAND and sleeper.returns)


def _add(matching: Matching, job: Wanted, kind: Kind) -> bool:
    return matching.add(job.id, kind) if kind.slots == 1 else matching.add_large(job.id, kind)


def _truth(hosts: int, number: int) -> NDArray[np.bool_]:
    data = np.frombuffer(hosts.to_bytes(number // 8 + 1, "little"), np.uint8)
    return np.unpackbits(data, bitorder="little")[:number].astype(bool)

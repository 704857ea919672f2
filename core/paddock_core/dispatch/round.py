"""The dispatch round: which waiting job goes to which host now, and why the others wait."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..fit import Fitting, Requirement, binding
from ..fleet import Host, InstalledTool, Readiness
from ..fleet_index import Bits, FleetIndex, unpacked
from ..fleet_index import count as count_bits
from ..reasons import Reason, ReasonKind, count, why_waiting
from ..terms import Term
from ..verdicts import verdict
from .matching import Kind, match
from .shares import EXPECTED_SECONDS, Queued, order

ANYTHING = Requirement()
"""What a job asks that asks for nothing."""


@dataclass(frozen=True)
class WaitingJob:
    """One waiting job. ``waited`` and ``expected`` are in seconds; ``earmarked`` is the host that the last round set
    aside for it. Of equals, the lower ``id`` goes first."""

    id: int
    requirement: Requirement = ANYTHING
    prefers: tuple[Term, ...] = ()
    pipeline: str = ""
    priority: int = 0
    waited: float = 0.0
    expected: float = EXPECTED_SECONDS
    earmarked: str = ""


@dataclass(frozen=True)
class Placement:
    """This job to that host. ``fit`` is how many hosts fit, ``free`` how many of them had a free slot before the round;
    ``is_warm``: its pipeline ran there recently."""

    job: WaitingJob
    host: Host
    fit: int
    free: int
    is_warm: bool = False

    @property
    def binding(self) -> tuple[InstalledTool, ...]:
        """The installations that its tool terms are bound to."""
        return binding(self.job.requirement.terms, self.job.prefers, self.host)

    @property
    def why(self) -> str:
        """Why this host and not another, in a sentence."""
        if self.fit == 1:
            return "It is the only host that fits."
        sentence = f"{count(self.fit, 'host')} fit, {self.free} of them with a free slot."
        if self.free == 1:
            return sentence
        met = [str(term) for term in self.job.prefers if verdict(term, self.host).holds]
        because = [f"meets the preference {', '.join(f'`{one}`' for one in met)}"] if met else []
        if self.is_warm:
            because.append(f"has a warm work folder of {self.job.pipeline}")
        if not because:
            because.append("is what the other waiting jobs can best do without")
        return f"{sentence} {self.host.name} {' and '.join(because)}."


@dataclass(frozen=True)
class Round:
    """What one round decided: every waiting job has either a placement or a reason. ``earmarked`` are hosts whose free
    slots go to no other, by job."""

    placements: tuple[Placement, ...]
    reasons: dict[int, Reason]
    earmarked: dict[int, str]


def dispatch_round(
    jobs: Sequence[WaitingJob],
    index: FleetIndex,
    use: Mapping[str, float] | None = None,
    warm: Mapping[str, Collection[str]] | None = None,
) -> Round:
    """Places waiting jobs on free slots: in the order of ``shares``, as many as can start (``matching``).

    Of the hosts that would do, a job gets one that meets the most of its preferences; then one where its pipeline has a
    warm work folder (``warm``: host names by pipeline); then the least sought one, which the fewest of the waiting
    requirements fit, so that a plain job does not take the only host that another could use; then the one with the most
    free slots; then the first by name. Equal input gives equal output.
    """
    in_line = [jobs[place] for place in order([_queued(job) for job in jobs], use or {}, _slots(index))]
    fittings, asked = _fittings(in_line, index)
    universe = _Universe(index, fittings)
    warm_hosts = {pipeline: frozenset(hosts) for pipeline, hosts in (warm or {}).items()}
    cold: frozenset[str] = frozenset()
    kinds: dict[tuple[int, tuple[Term, ...], frozenset[str]], int] = {}
    kind_of = [
        kinds.setdefault((at, job.prefers, warm_hosts.get(job.pipeline, cold)), len(kinds))
        for at, job in zip(asked, in_line, strict=True)
    ]
    tiers = [
        Kind(universe.tiers(fittings[at], prefers, hosts), fittings[at].requirement.slots)
        for at, prefers, hosts in kinds
    ]
    earmarked = {
        at: place
        for at, job in enumerate(in_line)
        if job.earmarked and (place := universe.place(job.earmarked)) is not None
    }
    matched = match(tiers, kind_of, universe.free, universe.groups, earmarked)
    placements = []
    for at, job, place in zip(asked, in_line, matched.hosts, strict=True):
        if place is not None:
            host = universe.hosts[place]
            is_warm = host.name in warm_hosts.get(job.pipeline, cold)
            placements.append(Placement(job, host, *universe.numbers(fittings[at]), is_warm))
    left = [(fittings[at], job) for at, job, place in zip(asked, in_line, matched.hosts, strict=True) if place is None]
    earmarks = {in_line[at].id: universe.hosts[place] for at, place in matched.earmarked.items()}
    reasons = _reasons(left, earmarks, universe, placements)
    return Round(tuple(placements), reasons, {job: host.name for job, host in earmarks.items()})


def _fittings(jobs: Sequence[WaitingJob], index: FleetIndex) -> tuple[list[Fitting], list[int]]:
    """The distinct requirements of the jobs, and for each job the number of its own. Most jobs that ask for the same
    share the very object: to look that up is much cheaper than to compare all terms."""
    by_object: dict[int, int] = {}
    by_value: dict[Requirement, int] = {}
    for job in jobs:
        if id(job.requirement) not in by_object:
            by_object[id(job.requirement)] = by_value.setdefault(job.requirement, len(by_value))
    return [Fitting(one, index) for one in by_value], [by_object[id(job.requirement)] for job in jobs]


def _queued(job: WaitingJob) -> Queued:
    return Queued(job.id, job.pipeline, job.priority, job.waited, job.requirement.slots, job.expected)


def _slots(index: FleetIndex) -> int:
    return sum(host.slots for host in index.hosts_in(index.state("ready")))


class _Universe:
    """The hosts that take jobs, now or soon, from the least to the most sought: their places are those of the bits."""

    def __init__(self, index: FleetIndex, asked: Collection[Fitting]) -> None:
        self._index = index
        places = np.array(index.places_in(index.state("ready")), int)
        sought = np.zeros(len(places), int)
        for fitting in asked:
            sought += unpacked(fitting.ready)[places]
        self._order = places[np.lexsort((index.name_ranks()[places], sought))] if len(places) else places
        self.hosts = [index.at(place) for place in self._order]
        self._places = {host.name: at for at, host in enumerate(self.hosts)}
        self.free = [host.free_slots if host.readiness is Readiness.FREE else 0 for host in self.hosts]
        self.groups = _equal_runs(np.sort(sought))
        self._numbers: dict[int, tuple[int, int]] = {}
        self._all_free = index.state(Readiness.FREE)

    def place(self, host: str) -> int | None:
        return self._places.get(host)

    def _bits(self, bits: Bits) -> int:
        """Bits of the index as a set of hosts in this order."""
        chosen = unpacked(bits)[self._order]
        return int.from_bytes(np.packbits(chosen, bitorder="little").tobytes(), "little")

    def tiers(self, fitting: Fitting, prefers: Sequence[Term], warm: Collection[str]) -> tuple[int, ...]:
        """The hosts that fit, those that meet the most preferences first, and of those the warm ones."""
        fits = self._bits(fitting.ready)
        tiers = [fits]
        if prefers:
            met = sum(unpacked(self._index.holds(term)).astype(int)[self._order] for term in prefers)
            tiers = [
                fits & int.from_bytes(np.packbits(met == number, bitorder="little").tobytes(), "little")
                for number in range(len(prefers), -1, -1)
            ]
        warm_bits = sum(1 << place for name in set(warm) if (place := self._places.get(name)) is not None)
        if warm_bits:
            tiers = [part for tier in tiers for part in (tier & warm_bits, tier & ~warm_bits)]
        return tuple(tier for tier in tiers if tier) or (0,)

    def numbers(self, fitting: Fitting) -> tuple[int, int]:
        """How many hosts fit, and how many of them had a free slot before the round."""
        if id(fitting) not in self._numbers:
            fits, free = fitting.fits, fitting.fits & self._all_free
            self._numbers[id(fitting)] = (count_bits(fits), count_bits(free))
        return self._numbers[id(fitting)]

    def taken(self, hosts: Collection[str]) -> Bits:
        """These hosts as bits of the index."""
        names = set(hosts)
        return self._index.bits(lambda host: host.name in names)

    @property
    def index(self) -> FleetIndex:
        return self._index


def _equal_runs(values: NDArray[np.int_]) -> list[int]:
    """Sets of neighbouring places with equal values."""
    edges = [0, *(np.flatnonzero(np.diff(values)) + 1).tolist(), len(values)]
    return [(1 << end) - (1 << start) for start, end in pairwise(edges) if end > start]


def _reasons(
    left: Sequence[tuple[Fitting, WaitingJob]],
    earmarks: Mapping[int, Host],
    universe: _Universe,
    placed: Sequence[Placement],
) -> dict[int, Reason]:
    """Why each job that is left waits, after the round: jobs that ask for the same share the answer."""
    given: dict[str, int] = defaultdict(int)
    for one in placed:
        given[one.host.name] += one.job.requirement.slots
    full = [
        host.name
        for host, free in zip(universe.hosts, universe.free, strict=True)
        if free and given.get(host.name, 0) >= free
    ]
    full += [host.name for host in earmarks.values()]
    taken = universe.taken(full)
    kept_room = universe.taken([host.name for host in earmarks.values() if host.free_slots > given.get(host.name, 0)])
    shared: dict[int, Reason] = {}
    reasons = {}
    for fitting, job in left:
        if id(fitting) not in shared:
            reason = why_waiting(fitting.requirement, universe.index, taken)
            if reason.kind is ReasonKind.BUSY and (fitting.ready & kept_room).any():
                sentence = reason.sentence.replace("is taken", "is taken, or kept for a job in front", 1)
                reason = replace(reason, sentence=sentence)
            shared[id(fitting)] = reason
        reason = shared[id(fitting)]
        if host := earmarks.get(job.id):
            free = max(0, host.free_slots - given.get(host.name, 0))
            reason = Reason(
                ReasonKind.MORE_SLOTS,
                f"It asks for {job.requirement.slots} slots on one host. {host.name} is kept for it: {free} of its "
                f"{host.slots} are free, and what comes free there goes to no other job.",
                places=(host.name,),
            )
        reasons[job.id] = reason
    return reasons

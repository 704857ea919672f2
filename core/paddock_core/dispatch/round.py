"""The dispatch round: which waiting job goes to which host now, and why the others wait."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from ..fit import Fitting, Requirement, binding
from ..fleet import Host, InstalledTool
from ..fleet_index import FleetIndex
from ..reasons import Reason, ReasonKind, count, why_waiting
from ..terms import Term
from ..verdicts import verdict
from .host_places import HostPlaces
from .line import Line
from .shares import EXPECTED_SECONDS, SECONDS_A_PRIORITY

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
    """Places waiting jobs on free slots: in the order of ``shares``, as many as can start (``line``, ``matching``).

    Of the hosts that would do, a job gets one that meets the most of its preferences; then one where its pipeline has a
    warm work folder (``warm``: host names by pipeline); then the least sought one, which the fewest of the waiting
    requirements fit, so that a plain job does not take the only host that another could use; then the one with the most
    free slots; then the first by name. Equal input gives equal output.
    """
    universe = HostPlaces(index)
    line = Line(len(universe.hosts))
    for place in range(len(universe.hosts)):
        line.rooms.set_ready(place, True)
        line.rooms.change(place, universe.free[place])
    line.warm = {pipeline: universe.set_of(hosts) for pipeline, hosts in (warm or {}).items()}
    fittings, asked = _fittings(jobs, index)
    kinds: dict[tuple[int, tuple[Term, ...]], int] = {}
    for at, job in zip(asked, jobs, strict=True):
        if (at, job.prefers) not in kinds:
            tiers = universe.tiers(fittings[at], job.prefers)
            kinds[at, job.prefers] = line.add_kind(tiers, fittings[at].requirement.slots, at)
        own = SECONDS_A_PRIORITY * job.priority + job.waited
        line.add(job.id, job.pipeline, kinds[at, job.prefers], own, job.expected)
        if job.earmarked and (place_of := universe.place(job.earmarked)) is not None:
            line.earmarked[job.id] = place_of
    hosts = line.round(lambda: use or {}, sum(host.slots for host in universe.hosts))
    placements = []
    left = []
    for at, job in sorted(zip(asked, jobs, strict=True), key=lambda each: each[1].id):
        if job.id in hosts:
            host = universe.hosts[hosts[job.id]]
            is_warm = bool(line.warm.get(job.pipeline, 0) >> hosts[job.id] & 1)
            placements.append(Placement(job, host, *universe.numbers(fittings[at]), is_warm))
        else:
            left.append((fittings[at], job))
    earmarks = {job: universe.hosts[place] for job, place in line.earmarked.items()}
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


def _reasons(
    left: Sequence[tuple[Fitting, WaitingJob]],
    earmarks: Mapping[int, Host],
    universe: HostPlaces,
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

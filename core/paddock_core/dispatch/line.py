"""The waiting jobs in their order, and the free slots: kept from one round to the next, so that a round costs what has
changed since the last, and not the fleet."""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from heapq import heapify, heappop, heappush, heapreplace

from .matching import Kind, Matching, Rooms
from .shares import score
from .tally import Tally

MAX_WARM_KINDS = 10_000
"""Kinds that are remembered as pipelines with warm work folders see them."""

Key = tuple[float, int]
"""A job's place among those of its pipeline: what it has of its own, negated, and its number."""


@dataclass(frozen=True)
class _Job:
    pipeline: str
    kind: int
    key: Key
    weight: float


class _Pipeline:
    """The waiting jobs of one pipeline. Their order among themselves does not change while they wait: they all grow
    older alike, and have the same share."""

    def __init__(self) -> None:
        self.keys: list[Key] = []
        self.weights: list[float] = []
        """What each is expected to use, in slot-seconds."""

    def add(self, key: Key, weight: float) -> None:
        at = bisect_left(self.keys, key)
        self.keys.insert(at, key)
        self.weights.insert(at, weight)

    def remove(self, key: Key) -> None:
        at = bisect_left(self.keys, key)
        del self.keys[at], self.weights[at]

    def in_front_of(self, key: Key, counted: tuple[int, float]) -> tuple[int, float]:
        """How many jobs are in front of this one, and what they are expected to use. ``counted`` is the same for one
        further in front: only what is between them is added up."""
        at, seconds = counted
        place = bisect_left(self.keys, key)
        return place, seconds + sum(self.weights[at:place])


class Line:
    """Waiting jobs and the slots that they wait for. Hosts are numbers, in the order of their names.

    A kind of job is given once (``add_kind``), with the hosts that fit it. Jobs come (``add``) and go (``remove``, or
    by ``round``, which starts them); slots are taken and come free (``rooms``).
    """

    def __init__(self, hosts: int) -> None:
        self.rooms = Rooms(hosts)
        self.warm: dict[str, int] = {}
        """By pipeline, the hosts on which its work folder is warm."""
        self.earmarked: dict[int, int] = {}
        """By job, the host that is earmarked for it."""
        self._sought = Tally()
        self._kinds: list[Kind] = []
        self._families: dict[int, int] = {}
        self._requirement_of: list[int] = []
        self._waiting: dict[int, dict[str, list[Key]]] = {}
        """By kind and pipeline, the jobs that wait, in their order."""
        self._asked: dict[int, int] = {}
        """By requirement, how many wait."""
        self._jobs: dict[int, _Job] = {}
        self._pipelines: dict[str, _Pipeline] = {}
        self._warm_kinds: dict[tuple[int, int], Kind] = {}

    def __len__(self) -> int:
        return len(self._jobs)

    def __contains__(self, job: int) -> bool:
        return job in self._jobs

    def add_kind(self, tiers: tuple[int, ...], slots: int, requirement: int) -> int:
        """A kind of job: the hosts that fit it, best first, and the number of what it requires (kinds that only prefer
        different things share one). Returns its number."""
        kind = Kind(tiers, -1, slots)
        family = self._families.setdefault(kind.fits, len(self._families))
        self._kinds.append(replace(kind, family=family))
        self._requirement_of.append(requirement)
        return len(self._kinds) - 1

    def add(self, job: int, pipeline: str, kind: int, own: float, expected: float) -> None:
        """A job waits. ``own`` is its score but for its pipeline's share, from a moment that is the same for all jobs;
        ``expected`` is its length in seconds."""
        of_kind = self._kinds[kind]
        found = _Job(pipeline, kind, (-own, job), of_kind.slots * expected)
        self._jobs[job] = found
        if pipeline not in self._pipelines:
            self._pipelines[pipeline] = _Pipeline()
        self._pipelines[pipeline].add(found.key, found.weight)
        insort(self._waiting.setdefault(kind, {}).setdefault(pipeline, []), found.key)
        requirement = self._requirement_of[kind]
        number = self._asked.get(requirement, 0)
        self._asked[requirement] = number + 1
        if not number:
            self._sought.add(of_kind.fits)

    def remove(self, job: int) -> None:
        """A job waits no longer."""
        found = self._jobs.pop(job)
        self.earmarked.pop(job, None)
        pipeline = self._pipelines[found.pipeline]
        pipeline.remove(found.key)
        if not pipeline.keys:
            del self._pipelines[found.pipeline]
        alike = self._waiting[found.kind]
        keys = alike[found.pipeline]
        del keys[bisect_left(keys, found.key)]
        if not keys:
            del alike[found.pipeline]
        if not alike:
            del self._waiting[found.kind]
        requirement = self._requirement_of[found.kind]
        self._asked[requirement] -= 1
        if not self._asked[requirement]:
            self._sought.subtract(self._kinds[found.kind].fits)

    def able(self) -> set[int]:
        """The kinds of waiting jobs that a round has to look at: those with a free slot among the hosts that fit them,
        and those of several slots, for which hosts are earmarked. For all others there is no path to a free slot
        either, since only jobs that the same round places can move."""
        free = self.rooms.free
        return {at for at in self._waiting if self._kinds[at].fits & free or self._kinds[at].slots > 1}

    def round(self, use: Callable[[], Mapping[str, float]], slots: int) -> dict[int, int]:
        """Starts what can start: by job, its host. ``use`` gives the decayed slot-seconds by pipeline (see ``shares``),
        and is asked only where it matters; ``slots`` is the number of slots of the fleet."""
        able = self.able()
        if not able:
            self.earmarked = {}
            return {}
        large = sum(len(keys) for at in able if self._kinds[at].slots > 1 for keys in self._waiting[at].values())
        only = self._only(able)
        order = self.in_order(use(), slots, able) if only is None else iter((only,))
        matching = Matching(self.rooms, self._sought)
        earmarks: dict[int, int] = {}
        for job in order:
            number = self._jobs[job].kind
            kind = self._warmed(number, self._jobs[job].pipeline)
            if kind.slots == 1:
                if not matching.add(job, kind):
                    able.discard(number)
            else:
                large -= 1
                if not matching.add_large(job, kind):
                    host = matching.earmark(kind, self.earmarked.get(job))
                    if host is not None:
                        earmarks[job] = host
            if not large and not self.rooms.free & ~matching.held_back:
                break
        for job in matching.host_of:
            self.remove(job)
        self.earmarked = earmarks
        return matching.host_of

    def _only(self, able: set[int]) -> int | None:
        """The job, where it is the only one of these kinds."""
        if len(able) == 1:
            (alike,) = (self._waiting[at] for at in able)
            if len(alike) == 1:
                (keys,) = alike.values()
                if len(keys) == 1:
                    return keys[0][1]
        return None

    def in_order(self, use: Mapping[str, float], slots: int, able: set[int] | None = None) -> Iterator[int]:
        """The waiting jobs by their scores, the highest first, or those of the kinds in ``able``: what is discarded
        from it in the meantime is left out from then on."""
        able = set(self._waiting) if able is None else able
        used = sum(1 for name, seconds in use.items() if seconds > 0 and name not in self._pipelines)
        worth = (len(self._pipelines) + used) / max(1, slots)
        counted: dict[str, tuple[int, float]] = {}
        fronts: dict[str, list[tuple[Key, int, int]]] = {}
        """By pipeline, of each kind the first job that was not given yet, and its place among them; a heap."""
        heap: list[tuple[float, int, str, bool]] = []
        """By pipeline, its first job: the negated score, the job, and whether what is queued in front of it has been
        counted. Without that, the score is an upper bound: most pipelines never come so far that it matters."""

        def push(name: str) -> None:
            front = fronts[name]
            while front and front[0][1] not in able:
                heappop(front)
            if front:
                key = front[0][0]
                bound = score(-key[0], worth, use.get(name, 0.0), counted.get(name, (0, 0.0))[1])
                heappush(heap, (-bound, key[1], name, False))

        for kind in able:
            for name, keys in self._waiting[kind].items():
                fronts.setdefault(name, []).append((keys[0], kind, 0))
        for name, front in fronts.items():
            heapify(front)
            push(name)
        while heap:
            _, job, name, is_counted = heappop(heap)
            key, kind, at = fronts[name][0]
            if kind not in able:
                push(name)
            elif not is_counted:
                counted[name] = self._pipelines[name].in_front_of(key, counted.get(name, (0, 0.0)))
                found = score(-key[0], worth, use.get(name, 0.0), counted[name][1])
                heappush(heap, (-found, job, name, True))
            else:
                keys = self._waiting[kind][name]
                if at + 1 < len(keys):
                    heapreplace(fronts[name], (keys[at + 1], kind, at + 1))
                else:
                    heappop(fronts[name])
                yield job
                push(name)

    def _warmed(self, kind: int, pipeline: str) -> Kind:
        """The kind as this pipeline sees it: of the hosts that are equally good, the warm ones first."""
        found = self._kinds[kind]
        warm = self.warm.get(pipeline, 0) & found.fits
        if not warm:
            return found
        known = self._warm_kinds.get((kind, warm))
        if known is None:
            if len(self._warm_kinds) >= MAX_WARM_KINDS:
                self._warm_kinds.clear()
            tiers = tuple(part for tier in found.tiers for part in (tier & warm, tier & ~warm) if part)
            known = self._warm_kinds[kind, warm] = Kind(tiers, found.family, found.slots)
        return known

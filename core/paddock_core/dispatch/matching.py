"""Which of the waiting jobs can start together, and where: a maximum matching, in the order of the jobs.

Jobs are taken in order. One that finds no free slot makes room along an augmenting path (Berge 1957): a placed job
moves to another host that it fits as well, and so on, until one finds a free slot. Sets of jobs that can start together
are the independent sets of a transversal matroid (Edmonds & Fulkerson 1965), so this greedy way starts as many jobs as
can be started, and of all such sets the one that is first in order. Where no path is found, none will be found later in
the round for any job like those that were asked to move: each kind of job fails once, and costs nothing after that.

Jobs that ask for several slots of one host are bin packing, which has no such rule. One gets a host with room; else one
from which smaller jobs of this round can move away; else a host is earmarked for it: what comes free there goes to no
job behind it, until it has enough.

Sets of hosts are whole numbers, one bit a host. The lowest bit is the host to prefer.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

TRIED_HOSTS = 8
"""Hosts from which smaller jobs are moved away, for one job of several slots: the emptiest ones."""


@dataclass(frozen=True)
class Kind:
    """Jobs that are alike. ``tiers`` are sets of hosts, best first; their union is all that fit."""

    tiers: tuple[int, ...]
    slots: int = 1

    @property
    def fits(self) -> int:
        found = 0
        for tier in self.tiers:
            found |= tier
        return found


@dataclass(frozen=True)
class Matched:
    """``hosts`` has for each job its host, or None; ``earmarked`` the host earmarked for a job, by the job's place."""

    hosts: list[int | None]
    earmarked: dict[int, int]


def match(
    kinds: Sequence[Kind],
    jobs: Sequence[int],
    free: Sequence[int],
    groups: Sequence[int] = (),
    earmarked: dict[int, int] | None = None,
) -> Matched:
    """Places jobs, given by their kinds, in order. ``free`` is the number of free slots of each host.

    ``groups`` are runs of hosts that are equally good, best first, all hosts together; within one, a host with more
    free slots is better.
    ``earmarked`` are the hosts earmarked so far, by its place in ``jobs``.
    """
    matching = _Matching(kinds, free, groups)
    hosts: list[int | None] = [None] * len(jobs)
    keeps: dict[int, int] = {}
    for job, kind in enumerate(jobs):
        if kinds[kind].slots == 1:
            matching.add(job, kind)
        elif not matching.add_large(job, kind):
            host = matching.earmark(kind, (earmarked or {}).get(job))
            if host is not None:
                keeps[job] = host
    for job, host in matching.host_of.items():
        hosts[job] = host
    return Matched(hosts, keeps)


class _Matching:
    def __init__(self, kinds: Sequence[Kind], free: Sequence[int], groups: Sequence[int]) -> None:
        self._kinds = kinds
        families: dict[int, int] = {}
        self._family = [families.setdefault(kind.fits, len(families)) for kind in kinds]
        """Kinds that fit the same hosts, and only like some better, are one family: they move alike."""
        self._fits = list(families)
        self._room = list(free)
        self._by_room: dict[int, int] = {}
        for host, room in enumerate(free):
            self._by_room[room] = self._by_room.get(room, 0) | 1 << host
        self._free = sum(hosts for room, hosts in self._by_room.items() if room > 0)
        self._groups = groups
        self._group_starts = [_lowest(group) for group in groups]
        self._held_back = 0
        self.host_of: dict[int, int] = {}
        self._kind_of: dict[int, int] = {}
        self._there: dict[tuple[int, int], list[int]] = {}
        """By family and host, the jobs of one slot that were placed."""
        self._where = [0] * len(families)
        """For each family, the hosts with such jobs."""
        self._failed: set[int] = set()

    # ---- jobs of one slot ----------------------------------------------------------------------------------------

    def add(self, job: int, kind: int) -> bool:
        """Places one job of one slot, moving others if it must."""
        if self._family[kind] in self._failed:
            return False
        host = self._best(kind)
        if host is None:
            host = self._room_by_moving(kind)
        if host is None:
            return False
        self._put(job, kind, host)
        return True

    def _best(self, kind: int, banned: int = 0) -> int | None:
        """The best host with a free slot."""
        free = self._free & ~banned
        for tier in self._kinds[kind].tiers:
            if there := tier & free:
                return _lowest(self._roomiest(there))
        return None

    def _roomiest(self, hosts: int) -> int:
        """Of these, the ones with the most free slots in the best group."""
        if self._groups:
            hosts &= self._groups[bisect_right(self._group_starts, _lowest(hosts)) - 1]
        for room in sorted(self._by_room, reverse=True):
            if there := hosts & self._by_room[room]:
                return there
        return hosts

    def _room_by_moving(self, kind: int, banned: int = 0) -> int | None:
        """Makes room for one more job of a kind by moving others; the host where the room is."""
        start = self._family[kind]
        came_from: dict[int, tuple[int, int]] = {}
        seen = {start}
        queue = [start]
        unseen = [other for other, hosts in enumerate(self._where) if hosts and other != start]
        for at in queue:
            if at != start:
                target = self._best(self._kind_of[self._there[at, came_from[at][1]][-1]], banned)
                if target is not None:
                    return self._shift(start, at, target, came_from)
            reach = self._fits[at] & ~banned
            left = []
            for other in unseen:
                if shared := reach & self._where[other]:
                    came_from[other] = (at, _lowest(shared))
                    seen.add(other)
                    queue.append(other)
                else:
                    left.append(other)
            unseen = left
        if not banned:
            self._failed |= seen
        return None

    def _shift(self, start: int, at: int, target: int, came_from: dict[int, tuple[int, int]]) -> int:
        """Moves one job along each step of the path; returns the host that has room now."""
        while at != start:
            before, host = came_from[at]
            job = self._there[at, host][-1]
            kind = self._kind_of[job]
            self._take(job)
            self._put(job, kind, target)
            at, target = before, host
        return target

    def _put(self, job: int, kind: int, host: int) -> None:
        self._kind_of[job] = kind
        self.host_of[job] = host
        slots = self._kinds[kind].slots
        if slots == 1:
            family = self._family[kind]
            self._there.setdefault((family, host), []).append(job)
            self._where[family] |= 1 << host
        self._set_room(host, self._room[host] - slots)

    def _take(self, job: int) -> None:
        family, host = self._family[self._kind_of.pop(job)], self.host_of.pop(job)
        jobs = self._there[family, host]
        jobs.remove(job)
        if not jobs:
            self._where[family] &= ~(1 << host)
        self._set_room(host, self._room[host] + 1)

    def _set_room(self, host: int, room: int) -> None:
        bit = 1 << host
        before = self._room[host]
        self._room[host] = room
        left = self._by_room[before] & ~bit
        if left:
            self._by_room[before] = left
        else:
            del self._by_room[before]
        self._by_room[room] = self._by_room.get(room, 0) | bit
        if room > 0 and not self._held_back & bit:
            self._free |= bit
        else:
            self._free &= ~bit

    # ---- jobs of several slots -----------------------------------------------------------------------------------

    def add_large(self, job: int, kind: int) -> bool:
        """Places one job of several slots, moving others away if it must."""
        slots = self._kinds[kind].slots
        enough = sum(hosts for room, hosts in self._by_room.items() if room >= slots) & ~self._held_back
        for tier in self._kinds[kind].tiers:
            if there := tier & enough:
                # The tightest host that has room: larger gaps stay for larger jobs.
                for room in sorted(self._by_room):
                    if room >= slots and (tight := there & self._by_room[room]):
                        self._put(job, kind, _lowest(tight))
                        return True
        for host in self._emptiest(kind, slots):
            if self._clear(host, slots):
                self._put(job, kind, host)
                return True
        return False

    def _emptiest(self, kind: int, slots: int) -> list[int]:
        """The hosts from which enough could be moved away, those with the least to move first."""
        movable: dict[int, int] = {}
        for (_, host), jobs in self._there.items():
            if jobs and self._fits[self._family[kind]] >> host & 1 and not self._held_back >> host & 1:
                movable[host] = movable.get(host, 0) + len(jobs)
        able = [host for host, jobs in movable.items() if self._room[host] + jobs >= slots]
        return sorted(able, key=lambda host: (-self._room[host], host))[:TRIED_HOSTS]

    def _clear(self, host: int, slots: int) -> bool:
        """Moves jobs away from a host until it has so many free slots; all of them or none."""
        before = dict(self.host_of)
        for (_, where), jobs in list(self._there.items()):
            for job in list(jobs) if where == host else ():
                kind = self._kind_of[job]
                if self._room[host] >= slots:
                    return True
                target = self._best(kind, 1 << host)
                if target is None:
                    target = self._room_by_moving(kind, 1 << host)
                if target is None:
                    continue
                self._take(job)
                self._put(job, kind, target)
        if self._room[host] >= slots:
            return True
        self._restore(before)
        return False

    def _restore(self, before: dict[int, int]) -> None:
        changed = [(job, self._kind_of[job]) for job, host in before.items() if self.host_of[job] != host]
        for job, _ in changed:
            self._take(job)
        for job, kind in changed:
            self._put(job, kind, before[job])

    def earmark(self, kind: int, earmarked: int | None) -> int | None:
        """Earmarks a host for a job of several slots, the earlier one if it still fits: what is free there
        goes to no other job. None if every host that fits is already earmarked for another."""
        able = self._fits[self._family[kind]] & ~self._held_back
        if not able:
            return None
        host = earmarked if earmarked is not None and able >> earmarked & 1 else _lowest(self._roomiest_of_all(able))
        self._held_back |= 1 << host
        self._free &= ~(1 << host)
        return host

    def _roomiest_of_all(self, hosts: int) -> int:
        return next(there for room in sorted(self._by_room, reverse=True) if (there := hosts & self._by_room[room]))


def _lowest(hosts: int) -> int:
    return (hosts & -hosts).bit_length() - 1

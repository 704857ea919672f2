"""Which of the waiting jobs can start together, and where: a maximum matching, in the order of the jobs.

Jobs are taken in order. One that finds no free slot makes room along an augmenting path (Berge 1957): a placed job
moves to another host that it fits as well, and so on, until one finds a free slot. Sets of jobs that can start together
are the independent sets of a transversal matroid (Edmonds & Fulkerson 1965), so this greedy way starts as many jobs as
can be started, and of all such sets the one that is first in order. Where no path is found, none will be found later in
the round for any job like those that were asked to move: each kind of job fails once, and costs nothing after that.

Jobs that ask for several slots of one host are bin packing, which has no such rule. One gets a host with room; else one
from which smaller jobs of this round can move away; else a host is earmarked for it: what comes free there goes to no
job behind it, until it has enough.

Sets of hosts are whole numbers, one bit a host; of equals, the lowest bit is the host to prefer.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from .tally import Tally, lowest

TRIED_HOSTS = 8
"""Hosts from which smaller jobs are moved away, for one job of several slots: the emptiest ones."""


@dataclass(frozen=True, eq=False)
class Kind:
    """Jobs that are alike. ``tiers`` are sets of hosts, best first; their union is all that fit. Kinds that fit the
    same hosts, and only like some better, are one ``family``: they move alike."""

    tiers: tuple[int, ...]
    family: int
    slots: int = 1

    @cached_property
    def fits(self) -> int:
        found = 0
        for tier in self.tiers:
            found |= tier
        return found


class Rooms:
    """The free slots of each host. ``ready`` are the hosts that take jobs now or as soon as a slot is free; ``free``
    those of them with a free slot."""

    def __init__(self, hosts: int) -> None:
        self.room = [0] * hosts
        self.ready = 0
        self.free = 0
        self.tally = Tally()

    def change(self, host: int, by: int) -> None:
        """Frees ``by`` slots; a negative number takes them."""
        bit = 1 << host
        self.room[host] += by
        for _ in range(by):
            self.tally.add(bit)
        for _ in range(-by):
            self.tally.subtract(bit)
        if self.room[host] > 0 and self.ready & bit:
            self.free |= bit
        else:
            self.free &= ~bit

    def set_ready(self, host: int, is_ready: bool) -> None:
        """Whether the host takes jobs."""
        bit = 1 << host
        self.ready = self.ready | bit if is_ready else self.ready & ~bit
        self.change(host, 0)


class Matching:
    """What one round has placed so far. ``sought`` counts for each host the waiting requirements that it meets: the
    least sought is the best. A placement changes ``rooms`` at once."""

    def __init__(self, rooms: Rooms, sought: Tally) -> None:
        self.rooms = rooms
        self._sought = sought
        self.held_back = 0
        """Hosts that are earmarked: what is free there goes to no other job."""
        self.host_of: dict[int, int] = {}
        self._kind_of: dict[int, Kind] = {}
        self._there: dict[tuple[int, int], list[int]] = {}
        """By family and host, the jobs of one slot that were placed."""
        self._fits: dict[int, int] = {}
        self._where: dict[int, int] = {}
        """By family, the hosts with such jobs."""
        self._reached = 0
        """All hosts to which a job that was placed could move."""
        self._failed: set[int] = set()

    def best(self, hosts: int) -> int:
        """Of these, the least sought, of those the one with the most free slots, of those the first."""
        return lowest(self.rooms.tally.most(self._sought.least(hosts)))

    @property
    def reached(self) -> int:
        """The hosts to which a job that was placed could move."""
        return self._reached

    def forget_failures(self) -> None:
        """Kinds that found no path may find one: another host takes jobs now."""
        self._failed.clear()

    # ---- jobs of one slot ----------------------------------------------------------------------------------------

    def add(self, job: int, kind: Kind) -> bool:
        """Places one job of one slot, moving others if it must."""
        if kind.family in self._failed:
            return False
        free = self.rooms.free & ~self.held_back
        if not free & kind.fits and not free & self._reached:
            return False
        host = self._free_host(kind)
        if host is None:
            host = self._room_by_moving(kind)
        if host is None:
            return False
        self._put(job, kind, host)
        return True

    def add_without_moving(self, job: int, kind: Kind) -> bool:
        """Places one job of one slot where a slot is free."""
        host = self._free_host(kind)
        if host is None:
            return False
        self._put(job, kind, host)
        return True

    def _free_host(self, kind: Kind, banned: int = 0) -> int | None:
        """The best host with a free slot."""
        free = self.rooms.free & ~self.held_back & ~banned
        for tier in kind.tiers:
            if there := tier & free:
                return self.best(there)
        return None

    def _room_by_moving(self, kind: Kind, banned: int = 0) -> int | None:
        """Makes room for one more job of a kind by moving others; the host where the room is."""
        start = kind.family
        self._fits[start] = kind.fits
        came_from: dict[int, tuple[int, int]] = {}
        queue = [start]
        unseen = [family for family, hosts in self._where.items() if hosts and family != start]
        for at in queue:
            if at != start:
                target = self._free_host(self._kind_of[self._there[at, came_from[at][1]][-1]], banned)
                if target is not None:
                    return self._shift(start, at, target, came_from)
            reach = self._fits[at] & ~banned
            left = []
            for other in unseen:
                if shared := reach & self._where[other]:
                    came_from[other] = (at, lowest(self._sought.least(shared)))
                    queue.append(other)
                else:
                    left.append(other)
            unseen = left
        if not banned:
            self._failed.update(queue)
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

    def _put(self, job: int, kind: Kind, host: int) -> None:
        self._kind_of[job] = kind
        self.host_of[job] = host
        if kind.slots == 1:
            self._there.setdefault((kind.family, host), []).append(job)
            self._where[kind.family] = self._where.get(kind.family, 0) | 1 << host
            self._fits[kind.family] = kind.fits
            self._reached |= kind.fits
        self.rooms.change(host, -kind.slots)

    def _take(self, job: int) -> None:
        family, host = self._kind_of.pop(job).family, self.host_of.pop(job)
        jobs = self._there[family, host]
        jobs.remove(job)
        if not jobs:
            self._where[family] &= ~(1 << host)
        self.rooms.change(host, 1)

    # ---- jobs of several slots -----------------------------------------------------------------------------------

    def add_large(self, job: int, kind: Kind) -> bool:
        """Places one job of several slots, moving others away if it must."""
        enough = self.rooms.tally.at_least(kind.slots, self.rooms.free & ~self.held_back)
        for tier in kind.tiers:
            if there := tier & enough:
                # The tightest host that has room: larger gaps stay for larger jobs.
                self._put(job, kind, lowest(self._sought.least(self.rooms.tally.least(there))))
                return True
        for host in self._emptiest(kind):
            if self._clear(host, kind.slots):
                self._put(job, kind, host)
                return True
        return False

    def _emptiest(self, kind: Kind) -> list[int]:
        """The hosts from which enough could be moved away, those with the least to move first."""
        movable: dict[int, int] = {}
        for (_, host), jobs in self._there.items():
            if jobs and kind.fits >> host & 1 and not self.held_back >> host & 1:
                movable[host] = movable.get(host, 0) + len(jobs)
        room = self.rooms.room
        able = [host for host, jobs in movable.items() if room[host] + jobs >= kind.slots]
        return sorted(able, key=lambda host: (-room[host], self._sought.of(host), host))[:TRIED_HOSTS]

    def _clear(self, host: int, slots: int) -> bool:
        """Moves jobs away from a host until it has so many free slots; all of them or none."""
        before = dict(self.host_of)
        for (_, where), jobs in list(self._there.items()):
            for job in list(jobs) if where == host else ():
                kind = self._kind_of[job]
                if self.rooms.room[host] >= slots:
                    return True
                target = self._free_host(kind, 1 << host)
                if target is None:
                    target = self._room_by_moving(kind, 1 << host)
                if target is None:
                    continue
                self._take(job)
                self._put(job, kind, target)
        if self.rooms.room[host] >= slots:
            return True
        self._restore(before)
        return False

    def _restore(self, before: dict[int, int]) -> None:
        changed = [(job, self._kind_of[job]) for job, host in before.items() if self.host_of[job] != host]
        for job, _ in changed:
            self._take(job)
        for job, kind in changed:
            self._put(job, kind, before[job])

    def earmark(self, kind: Kind, earmarked: int | None) -> int | None:
        """Earmarks a host for a job of several slots, the earlier one if it still fits: what is free there
        goes to no other job. None if every host that fits is already earmarked for another."""
        able = kind.fits & self.rooms.ready & ~self.held_back
        if not able:
            return None
        host = earmarked
        if host is None or not able >> host & 1:
            host = lowest(self._sought.least(self.rooms.tally.most(able)))
        self.held_back |= 1 << host
        return host

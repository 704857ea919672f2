"""A number for each host, kept as planes of bits: a whole set of hosts is counted or compared in a few steps."""

from __future__ import annotations


def lowest(hosts: int) -> int:
    """The place of the lowest bit of a set that is not empty."""
    return (hosts & -hosts).bit_length() - 1


class Tally:
    """A natural number for each host, 0 at first. Sets of hosts are whole numbers, one bit per host.

    Plane ``n`` has bit ``n`` of every host's number. Adding a set, or finding its smallest number,
    takes one step per plane. The number of hosts does not matter.
    """

    def __init__(self) -> None:
        self._planes: list[int] = []

    def add(self, hosts: int) -> None:
        """One more for each of these hosts."""
        planes, at = self._planes, 0
        while hosts:
            if at == len(planes):
                planes.append(0)
            planes[at], hosts = planes[at] ^ hosts, planes[at] & hosts
            at += 1

    def subtract(self, hosts: int) -> None:
        """One less for each of these hosts, each of which has at least one."""
        planes, at = self._planes, 0
        while hosts:
            planes[at], hosts = planes[at] ^ hosts, hosts & ~planes[at]
            at += 1

    def least(self, hosts: int) -> int:
        """Of these, the ones with the smallest number."""
        for plane in reversed(self._planes):
            hosts = (hosts & ~plane) or hosts
        return hosts

    def most(self, hosts: int) -> int:
        """Of these, the ones with the largest number."""
        for plane in reversed(self._planes):
            hosts = (hosts & plane) or hosts
        return hosts

    def at_least(self, number: int, hosts: int) -> int:
        """Of these, the ones with ``number`` or more."""
        if number >> len(self._planes):
            return 0
        more, equal = 0, hosts
        for at in range(len(self._planes) - 1, -1, -1):
            plane = self._planes[at]
            if number >> at & 1:
                equal &= plane
            else:
                more |= equal & plane
                equal &= ~plane
        return more | equal

    def of(self, host: int) -> int:
        """The number of one host, by its place."""
        return sum((plane >> host & 1) << at for at, plane in enumerate(self._planes))

"""Sets of hosts as the dispatch round has them: whole numbers, one bit per host, in the order of their names."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..fit import Fitting
from ..fleet import Readiness
from ..fleet_index import Bits, FleetIndex, unpacked
from ..fleet_index import count as count_bits
from ..terms import Term


class HostPlaces:
    """The hosts that take jobs, now or as soon as a slot is free, in the order of their names: the place of a host is
    its bit in a set."""

    def __init__(self, index: FleetIndex) -> None:
        self._index = index
        places = np.array(index.places_in(index.state("ready")), int)
        self._order = places[np.argsort(index.name_ranks()[places])] if len(places) else places
        self.hosts = [index.at(place) for place in self._order]
        self._places = {host.name: at for at, host in enumerate(self.hosts)}
        self.free = [host.free_slots if host.readiness is Readiness.FREE else 0 for host in self.hosts]
        self._numbers: dict[int, tuple[int, int]] = {}
        self._all_free = index.state(Readiness.FREE)

    def place(self, host: str) -> int | None:
        return self._places.get(host)

    def set_of(self, hosts: Collection[str]) -> int:
        """These hosts, as far as they are here, as a set."""
        return sum(1 << place for name in set(hosts) if (place := self._places.get(name)) is not None)

    def tiers(self, fitting: Fitting, prefers: Sequence[Term]) -> tuple[int, ...]:
        """The hosts that fit, those that meet the most preferences first."""
        fits = packed(unpacked(fitting.ready)[self._order])
        if not prefers:
            return (fits,)
        met = sum(unpacked(self._index.holds(term)).astype(int)[self._order] for term in prefers)
        tiers = (fits & packed(met == number) for number in range(len(prefers), -1, -1))
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


def packed(truth: NDArray[Any]) -> int:
    """One bit for each place, as a whole number."""
    return int.from_bytes(np.packbits(truth.astype(bool), bitorder="little").tobytes(), "little")

"""The fleet as bit rows: one row for each predicate, one bit for each host.

A term costs one pass over bits once it is known; when one host changes, only the bits of that host are computed again,
in the rows that read what changed. The bits come from ``verdicts.verdict``, so what explains is what decides."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .fleet import Host, Readiness
from .terms import (
    AllOf,
    AnyOf,
    EnvTerm,
    KitTerm,
    NotTerm,
    ServiceTerm,
    Term,
    ToolTerm,
)
from .terms.registry import READS
from .verdicts import verdict

Bits = NDArray[np.uint64]
"""One bit for each place of a host, the lowest first; places without a host are 0."""

MAX_MARKED_HOSTS = 3
"""A label on more admitted hosts than these says what they are for, and marks none of them."""
MAX_ROWS = 5_000
"""Rows that are kept. Beyond, those that were not asked for since the last clearing are dropped."""

_PASSING = {"readiness", "free_slots", "disk_free", "held", "slots"}
"""What changes all the time, and no words come from."""


@dataclass
class _Row:
    """``holds`` and ``fails``: where neither is set, it is not known. ``reads`` are fields of a host."""

    holds: Bits
    fails: Bits
    reads: frozenset[str]
    asked: bool = True


class FleetWords:
    """What there is in a fleet, with on how many admitted hosts. Each part is counted when it is first asked for.
    ``at_gate`` are the others by their names in lower case. ``catalogue`` are the tools that surveys look
    for; empty where that is not known."""

    def __init__(
        self, admitted: Sequence[Host], at_gate: Sequence[Host] = (), catalogue: frozenset[str] = frozenset()
    ) -> None:
        self.admitted = admitted
        self.at_gate = {host.name.lower(): host for host in at_gate}
        self.catalogue = catalogue
        self._versions: dict[str, Counter[str]] = {}

    @cached_property
    def labels(self) -> Counter[str]:
        return Counter(label for host in self.admitted for label in host.labels)

    @cached_property
    def tools(self) -> Counter[str]:
        return Counter(tool for host in self.admitted for tool in host.tools)

    @cached_property
    def broken(self) -> Counter[str]:
        """Tools that are there but could not be asked, with on how many hosts."""
        return Counter(tool for host in self.admitted for tool in host.broken)

    @cached_property
    def arches(self) -> Counter[str]:
        return Counter(host.arch for host in self.admitted if host.arch)

    @cached_property
    def services(self) -> Counter[str]:
        return Counter(name for host in self.admitted for name in host.services)

    @cached_property
    def variables(self) -> Counter[str]:
        return Counter(name for host in self.admitted for name in host.variables)

    @cached_property
    def groups(self) -> Counter[str]:
        return Counter(name for host in self.admitted for name in host.groups)

    @cached_property
    def systems(self) -> Counter[str]:
        return Counter(f"{host.os} {host.os_version}".strip() for host in self.admitted)

    @cached_property
    def hosts(self) -> tuple[str, ...]:
        return tuple(sorted(host.name for host in self.admitted))

    @cached_property
    def paddocks(self) -> tuple[str, ...]:
        return tuple(sorted({host.paddock for host in self.admitted}))

    def marks(self, label: str) -> bool:
        """Whether a label marks certain machines: a few hosts of one kind carry it."""
        if not 0 < self.labels[label] <= MAX_MARKED_HOSTS:
            return False
        carriers = [host for host in self.admitted if label in host.labels]
        return len({(host.os, host.arch) for host in carriers}) == 1

    def versions(self, tool: str) -> Counter[str]:
        """Of a tool: for each host the version that comes first there."""
        if tool not in self._versions:
            first = (next(iter(host.installed(tool)), None) for host in self.admitted)
            self._versions[tool] = Counter(one.version for one in first if one)
        return self._versions[tool]


class FleetIndex:
    """All living hosts. Not safe for several threads at once."""

    def __init__(self, hosts: Iterable[Host] = ()) -> None:
        self._catalogue: frozenset[str] = frozenset()
        self._hosts: list[Host | None] = []
        self._places: dict[str, int] = {}
        self._empty_places: list[int] = []
        self._rows: dict[Term, _Row] = {}
        self._readers: dict[str, set[Term]] = {}
        self._states: dict[object, Bits] = {}
        self._roomy: dict[int, Bits] = {}
        self._words: dict[Collection[str] | None, FleetWords] = {}
        self._ranks: NDArray[np.int64] | None = None
        self._size = 0
        hosts = list(hosts)
        self._grow(len(hosts))
        for host in hosts:
            self.put(host)

    # ---- hosts ---------------------------------------------------------------------------------------------------

    def __len__(self) -> int:
        return len(self._places)

    def __iter__(self) -> Iterator[Host]:
        return (host for host in self._hosts if host is not None)

    def host(self, name: str) -> Host | None:
        """The host of this name."""
        place = self._places.get(name)
        return None if place is None else self._hosts[place]

    def put(self, host: Host) -> None:
        """Takes a host in, or what has changed of one: costs only the rows that read what changed."""
        place = self._places.get(host.name)
        if place is None:
            place = self._empty_places.pop() if self._empty_places else len(self._hosts)
            if place == len(self._hosts):
                self._hosts.append(None)
                self._grow(len(self._hosts))
            self._places[host.name] = place
            self._ranks = None
        before = self._hosts[place]
        self._hosts[place] = host
        if before == host:
            return
        names = tuple(Host.__dataclass_fields__)
        changed = {name for name in names if before is None or _differs(before, host, name)}
        for term in {term for name in changed for term in self._readers.get(name, ())}:
            found = verdict(term, host)
            row = self._rows[term]
            _set(row.holds, place, found.holds)
            _set(row.fails, place, found.known and not found.holds)
        self._set_states(place, host)
        if before is None or before.is_admitted != host.is_admitted or changed - _PASSING:
            self._words.clear()

    def remove(self, name: str) -> None:
        """Takes a host out; one that is not there is ignored."""
        place = self._places.pop(name, None)
        if place is None:
            return
        self._hosts[place] = None
        self._ranks = None
        self._empty_places.append(place)
        for row in self._rows.values():
            _set(row.holds, place, False)
            _set(row.fails, place, False)
        for bits in (*self._states.values(), *self._roomy.values()):
            _set(bits, place, False)
        self._words.clear()

    def _grow(self, hosts: int) -> None:
        """Room for so many hosts: rows are as long as the next power of two."""
        size = max(1, 1 << max(0, (hosts - 1)).bit_length() >> 6)
        if size <= self._size:
            return
        added = size - self._size
        self._size = size

        def longer(bits: Bits) -> Bits:
            return np.concatenate([bits, np.zeros(added, np.uint64)])

        for row in self._rows.values():
            row.holds, row.fails = longer(row.holds), longer(row.fails)
        self._states = {state: longer(bits) for state, bits in self._states.items()}
        self._roomy = {number: longer(bits) for number, bits in self._roomy.items()}

    def empty(self) -> Bits:
        """No host."""
        return np.zeros(self._size, np.uint64)

    # ---- states --------------------------------------------------------------------------------------------------

    def _set_states(self, place: int, host: Host) -> None:
        here: set[object] = {
            "there",
            ("paddock", host.paddock),
            host.readiness,
            *(["admitted"] if host.is_admitted else []),
            *(["ready"] if host.is_ready else []),
            *(["reserved"] if host.reserved else []),
            *(["surveyed"] if host.surveyed else []),
        }
        for state in here - self._states.keys():
            self._states[state] = self.empty()
        for state, bits in self._states.items():
            _set(bits, place, state in here)
        for number, bits in self._roomy.items():
            _set(bits, place, host.slots >= number)

    def state(self, name: str | Readiness) -> Bits:
        """The hosts in a state: there, admitted, ready, reserved, surveyed, or one of readiness."""
        return self._states.get(name, self.empty())

    def in_paddocks(self, names: Collection[str] | None) -> Bits:
        """The hosts in any of these paddocks; None for all."""
        if names is None:
            return self.state("there")
        return reduce(
            np.bitwise_or, (self._states.get(("paddock", name), self.empty()) for name in names), self.empty()
        )

    def with_slots(self, number: int) -> Bits:
        """The hosts that have so many slots in all."""
        if number not in self._roomy:
            self._roomy[number] = self.bits(lambda host: host.slots >= number)
        return self._roomy[number]

    def bits(self, wanted: Any) -> Bits:
        """The hosts for which a function is true."""
        packed = np.zeros(self._size * 8, np.uint8)
        truth = np.fromiter((host is not None and bool(wanted(host)) for host in self._hosts), bool, len(self._hosts))
        some = np.packbits(truth, bitorder="little")
        packed[: len(some)] = some
        return packed.view(np.uint64)

    # ---- terms ---------------------------------------------------------------------------------------------------

    def holds(self, term: Term) -> Bits:
        """The hosts on which the term holds. Not to be written to."""
        row = self._rows.get(term) or self._row(term)
        row.asked = True
        return row.holds

    def fails(self, term: Term) -> Bits:
        """Those on which it is known not to hold."""
        return self._row(term).fails

    def _row(self, term: Term) -> _Row:
        row = self._rows.get(term)
        if row is None:
            if len(self._rows) >= MAX_ROWS:
                self._drop_unasked()
            row = self._rows[term] = self._made(term)
            for name in row.reads:
                self._readers.setdefault(name, set()).add(term)
        row.asked = True
        return row

    def _made(self, term: Term) -> _Row:
        match term:
            case NotTerm(inner):
                row = self._row(inner)
                return _Row(row.fails.copy(), row.holds.copy(), row.reads)
            case AnyOf(terms):
                return self._joined(terms, np.bitwise_or, np.bitwise_and)
            case AllOf(terms):
                return self._joined(terms, np.bitwise_and, np.bitwise_or)
            case KitTerm(_, terms):
                if not terms:
                    there, reads = self.state("there").copy(), frozenset({"name"})
                    return _Row(self.empty(), there, reads) if terms is None else _Row(there, self.empty(), reads)
                return self._joined(terms, np.bitwise_and, np.bitwise_or)
        return self._looked_up(term)

    def _joined(self, terms: Sequence[Term], holds: Any, fails: Any) -> _Row:
        rows = [self._row(one) for one in terms]
        return _Row(
            reduce(holds, (row.holds for row in rows)).copy(),
            reduce(fails, (row.fails for row in rows)).copy(),
            frozenset().union(*(row.reads for row in rows)),
        )

    def _looked_up(self, term: Term) -> _Row:
        """Asks each host; hosts that have the same of what the term reads are asked once."""
        known: dict[object, int] = {}
        answers = np.zeros(self._size * 64, np.int8)
        reads = READS[type(term)]
        for place, host in enumerate(self._hosts):
            if host is None:
                continue
            seen = _seen(term, host, reads)
            answer = known.get(seen)
            if answer is None:
                found = verdict(term, host)
                answer = known[seen] = 1 if found.holds else -1 if found.known else 0
            answers[place] = answer
        return _Row(_packed(answers > 0), _packed(answers < 0), frozenset(reads))

    def _drop_unasked(self) -> None:
        for term in [term for term, row in self._rows.items() if not row.asked]:
            row = self._rows.pop(term)
            for name in row.reads:
                self._readers[name].discard(term)
        for row in self._rows.values():
            row.asked = False

    # ---- reading bits --------------------------------------------------------------------------------------------

    def hosts_in(self, bits: Bits) -> list[Host]:
        """The hosts whose bits are set, by place."""
        return [host for place in self.places_in(bits) if (host := self._hosts[place]) is not None]

    def places_in(self, bits: Bits) -> list[int]:
        """The places whose bits are set."""
        found: list[int] = np.flatnonzero(unpacked(bits)).tolist()
        return found

    def name_ranks(self) -> NDArray[np.int64]:
        """For each place, where its host stands among all by name."""
        if self._ranks is None:
            names = np.array([host.name if host else "" for host in self._hosts])
            self._ranks = np.empty(len(names), np.int64)
            self._ranks[np.argsort(names, kind="stable")] = np.arange(len(names))
        return self._ranks

    def at(self, place: int) -> Host:
        """The host at a place that has one."""
        host = self._hosts[place]
        assert host is not None
        return host

    def set_catalogue(self, tools: Iterable[str]) -> None:
        """Notes which tools surveys look for."""
        self._catalogue = frozenset(tools)
        self._words.clear()

    def words(self, paddocks: Collection[str] | None = None) -> FleetWords:
        """What there is, in some paddocks or all."""
        key: frozenset[str] | None = None if paddocks is None else frozenset(paddocks)
        if key not in self._words:
            hosts = [host for host in self if key is None or host.paddock in key]
            self._words[key] = FleetWords(
                [host for host in hosts if host.is_admitted],
                [host for host in hosts if not host.is_admitted],
                self._catalogue,
            )
        return self._words[key]


def _seen(term: Term, host: Host, reads: tuple[str, ...]) -> object:
    """What of a host decides a term, as something to look up."""
    match term:
        case ToolTerm(name):
            return host.surveyed, tuple(one.version for one in host.installed(name))
        case ServiceTerm(name):
            return host.services.get(name)
        case EnvTerm(name):
            return host.name if name in host.variables or host.os == "windows" else (host.surveyed, None)
    return tuple(getattr(host, name) for name in reads)


def _differs(before: Host, after: Host, name: str) -> bool:
    was, now = getattr(before, name), getattr(after, name)
    return was is not now and was != now


def _set(bits: Bits, place: int, is_set: bool) -> None:
    mask = np.uint64(1 << (place & 63))
    if is_set:
        bits[place >> 6] |= mask
    else:
        bits[place >> 6] &= ~mask


def _packed(truth: NDArray[np.bool_]) -> Bits:
    return np.packbits(truth, bitorder="little").view(np.uint64)


def unpacked(bits: Bits) -> NDArray[np.uint8]:
    """One number, 0 or 1, for each place."""
    return np.unpackbits(bits.view(np.uint8), bitorder="little")


def count(bits: Bits) -> int:
    """How many bits are set."""
    return int.from_bytes(bits.tobytes(), "little").bit_count()


def intersection(rows: Sequence[Bits]) -> Bits:
    """The bits that are set in every one of at least one row; a new array."""
    found = rows[0] & rows[1] if len(rows) > 1 else rows[0].copy()
    for row in rows[2:]:
        np.bitwise_and(found, row, out=found)
    return found

"""The newest readings of the hosts, in memory: the link puts them in, the keeper of readings writes them in batches.

All of it belongs to the server's loop, except what is marked as safe elsewhere.
"""

from __future__ import annotations

import math
import statistics
import time
from collections import defaultdict, deque
from dataclasses import dataclass, field

from paddock_agent import wire
from paddock_core.vitals import NAMES, cleaned

from .meters import HEARTBEAT_GAP
from .state import part

RECENT = 12
"""Readings that the medians go over: three minutes at the usual heartbeat."""

Row = tuple[float, ...]
MOVES = {
    "disk_free": (0.02, 1e8),
    "system_free": (0.02, 1e8),
    "memory_free": (0.1, 1e8),
    "clock": (0.0, 5.0),
}
"""By how much a reading has to move to be looked at: a part of what it was, and something beside."""


@dataclass
class Vitals:
    """One host's. ``rows`` are pairs of when (seconds since the epoch, by the server's clock) and what."""

    rows: deque[tuple[float, Row]] = field(default_factory=lambda: deque(maxlen=RECENT))
    heard: float = 0.0
    has_moved: bool = True
    """Whether a reading since the last look differs enough from the medians that were looked at."""
    looked_at: dict[str, float] = field(default_factory=dict)

    def look(self) -> dict[str, float]:
        """The medians of the last readings that findings go by; NaN where there are none. They are looked at now: as
        long as new readings differ from them, the medians are still on their way."""
        self.has_moved = False
        self.looked_at = {name: self.median(name) for name in MOVES}
        return self.looked_at

    def newest(self, name: str) -> float:
        """The last reading; NaN where there is none."""
        rows = list(self.rows)
        return rows[-1][1][NAMES.index(name)] if rows else math.nan

    def note_move(self, row: Row) -> None:
        """Compares a new reading with what was looked at: a comparison costs a fraction of a look."""
        for name, (share, least) in MOVES.items():
            before, now = self.looked_at[name], row[NAMES.index(name)]
            if abs(now - before) > share * abs(before) + least or math.isnan(now) != math.isnan(before):
                self.has_moved = True

    def median(self, name: str) -> float:
        """The median of the last readings; NaN where there are none."""
        column = NAMES.index(name)
        known = [row[column] for _, row in list(self.rows) if not math.isnan(row[column])]
        return statistics.median(known) if known else math.nan


class _Readings:
    """All hosts': the newest, and those that are not written yet."""

    def __init__(self) -> None:
        self.newest: dict[int, Vitals] = defaultdict(Vitals)
        self.unwritten: dict[int, list[tuple[float, Row]]] = defaultdict(list)


def _readings() -> _Readings:
    return part(_Readings)


def record(host_id: int, beat: wire.Heartbeat) -> tuple[str, ...]:
    """Takes in a heartbeat's readings; returns the names of those that cannot be."""
    now = time.time()
    given = {name: value for name in NAMES if (value := getattr(beat, name, None)) is not None}
    if beat.at is not None:
        given["clock"] = beat.at - now
    found = cleaned(given)
    vitals = _readings().newest[host_id]
    vitals.rows.append((now, found.row))
    if not vitals.has_moved:
        vitals.note_move(found.row)
    if vitals.heard:
        HEARTBEAT_GAP.observe(now - vitals.heard)
    vitals.heard = now
    _readings().unwritten[host_id].append((now, found.row))
    return found.invalid


def of(host_id: int) -> Vitals:
    """The newest readings of a host; empty ones where nothing was heard. Safe from every thread."""
    return _readings().newest.get(host_id) or Vitals()


def forget(host_id: int) -> None:
    """A host that reconnects starts fresh: earlier readings may be old."""
    _readings().newest.pop(host_id, None)


def unwritten() -> dict[int, list[tuple[float, Row]]]:
    """What was read since it was last asked, by host."""
    unwritten = _readings().unwritten
    taken = dict(unwritten)
    unwritten.clear()
    return taken

"""When each host's watch was heard last, in memory: most reports say what the one before said, and only that they came
is news. What is new in one is written at once, by its action; when they came, with the readings."""

from __future__ import annotations

import time

import msgspec

from paddock_agent import wire

_told: dict[int, wire.WatchReport] = {}
_heard: dict[int, float] = {}
_unwritten: dict[int, float] = {}


def is_news(host_id: int, told: wire.WatchReport) -> bool:
    """Whether a report says anything that the one before did not. The first after a start of the server is news."""
    before = _told.get(host_id)
    _told[host_id] = told
    return before is None or told.started or _timeless(before) != _timeless(told)


def note(host_id: int) -> None:
    """The watch was heard just now."""
    _heard[host_id] = _unwritten[host_id] = time.time()


def heard_at(host_id: int, written: float = 0.0) -> float:
    """When it was heard last, in seconds since the epoch; ``written`` is what the database says."""
    return max(written, _heard.get(host_id, 0.0))


def forget(host_id: int) -> None:
    """What was told is no longer so: the next report is news."""
    _told.pop(host_id, None)


def unwritten() -> dict[int, float]:
    """Those that were heard since it was last asked, and when."""
    taken = dict(_unwritten)
    _unwritten.clear()
    return taken


def _timeless(told: wire.WatchReport) -> wire.WatchReport:
    return msgspec.structs.replace(told, at=0.0, uptime=0.0)

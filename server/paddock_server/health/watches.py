"""When each host's watch was last heard, in memory: most reports repeat the previous one, and only their arrival
is news. What is new in one is written at once, by its action; when they came, with the readings."""

from __future__ import annotations

import time

import msgspec

from paddock_agent import wire

from ..process.state import part

MAX_UPTIME_SECONDS = 100 * 366 * 86_400.0
CLOCK_MAY_DIFFER = 366 * 86_400.0
"""A clock that was never set is years off, and has a finding of its own; a larger offset is invalid."""

ASKED_FOR = 300.0
"""Seconds that a person's wish to have a host examined waits for its watch."""


class _Watches:
    """Per host: when an examination was requested, the last report, the orders to upgrade and to power down that wait
    for its watch, when a watch was heard last, and that of those that are not written yet. ``hosts`` has the hosts by
    the digests of their watches' keys."""

    def __init__(self) -> None:
        self.asked: dict[int, float] = {}
        self.last_reports: dict[int, wire.WatchReport] = {}
        self.hosts: dict[str, int] = {}
        self.orders: dict[int, int] = {}
        self.power_orders: dict[int, int] = {}
        self.heard: dict[int, float] = {}
        self.unwritten: dict[int, float] = {}


def _watches() -> _Watches:
    return part(_Watches)


def note(host_id: int, digest: str, report: wire.WatchReport) -> bool:
    """A report was taken in, from the watch whose key has this digest. Whether it says anything that the one before did
    not; the first after a start of the server does."""
    before = _watches().last_reports.get(host_id)
    _watches().last_reports[host_id], _watches().hosts[digest] = report, host_id
    _hear(host_id)
    return before is None or report.started or _timeless(before) != _timeless(report)


def host_with(digest: str) -> int | None:
    """The host whose watch has this key, where it has reported since the server was started."""
    return _watches().hosts.get(digest)


def hear_again(host_id: int, report: wire.WatchReport, now: float) -> bool:
    """Records a report that repeats the previous one, from a running service; returns False if it says more."""
    before = _watches().last_reports.get(host_id)
    if (
        before is None
        or report.started
        or is_asked(host_id)
        or order_for(host_id)
        or power_order_for(host_id)
        or report.state.running != "running"
        or _timeless(before) != _timeless(report)
    ):
        return False
    if why_no_time(report, now):
        return False
    _hear(host_id)
    return True


def ask(host_id: int) -> None:
    """A person asks for an examination: the next report is answered with that."""
    _watches().asked[host_id] = time.time()


def is_asked(host_id: int) -> bool:
    """Whether a person waits for an examination of this host."""
    return time.time() - _watches().asked.get(host_id, -ASKED_FOR) < ASKED_FOR


def answered(host_id: int) -> None:
    """The examination has come."""
    _watches().asked.pop(host_id, None)


def set_orders(orders: dict[int, int]) -> None:
    """The orders to upgrade that wait for a watch now, by host."""
    _watches().orders = orders


def add_order(host_id: int, number: int) -> None:
    """An order waits for this host's watch from now on."""
    _watches().orders[host_id] = number


def remove_order(host_id: int) -> None:
    """No order waits for it any more."""
    _watches().orders.pop(host_id, None)


def order_for(host_id: int) -> int:
    """The number of the order that waits for this host's watch; 0 for none."""
    return _watches().orders.get(host_id, 0)


def set_power_orders(orders: dict[int, int]) -> None:
    """The orders to power down that wait for a watch now, by host."""
    _watches().power_orders = orders


def add_power_order(host_id: int, number: int) -> None:
    """An order to power down waits for this host's watch from now on."""
    _watches().power_orders[host_id] = number


def remove_power_order(host_id: int) -> None:
    """The host is off, or stays on."""
    _watches().power_orders.pop(host_id, None)


def power_order_for(host_id: int) -> int:
    """The number of the order to power down that waits for this host's watch; 0 for none."""
    return _watches().power_orders.get(host_id, 0)


def why_no_time(report: wire.WatchReport, now: float) -> str:
    """Why the times in a report cannot be, "" where they can."""
    if not abs(report.at - now) <= CLOCK_MAY_DIFFER:
        return "its time is years away."
    return "" if 0 <= report.uptime <= MAX_UPTIME_SECONDS else f"it tells of an uptime of {report.uptime:g} seconds."


def heard_at(host_id: int, written: float = 0.0) -> float:
    """When it was heard last, in seconds since the epoch; ``written`` is what the database says."""
    return max(written, _watches().heard.get(host_id, 0.0))


def forget(host_id: int) -> None:
    """Its key is another now, or none: the next report takes the long way."""
    _watches().last_reports.pop(host_id, None)
    for digest in [digest for digest, known in list(_watches().hosts.items()) if known == host_id]:
        del _watches().hosts[digest]


def unwritten() -> dict[int, float]:
    """Those that were heard since it was last asked, and when."""
    taken = dict(_watches().unwritten)
    _watches().unwritten.clear()
    return taken


def _hear(host_id: int) -> None:
    _watches().heard[host_id] = _watches().unwritten[host_id] = time.time()


def _timeless(report: wire.WatchReport) -> wire.WatchReport:
    return msgspec.structs.replace(report, at=0.0, uptime=0.0, evidence=None)

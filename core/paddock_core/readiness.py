"""The way to work: what must be true for the next job to land on a host, link by link."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .link_state import Link
from .reasons import count
from .standby.power import Power
from .units import disk_size

LEAST_DISK = 1024**3
"""Bytes free under which a host is called short of disk: a checkout and a build hardly fit."""


class Mark(StrEnum):
    """How one link of the chain stands. UNKNOWN: it cannot be known while an earlier link is broken. WEAK: it holds
    now, but not for sure."""

    HOLDS = "holds"
    WEAK = "weak"
    BROKEN = "broken"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class Condition:
    """One link of the chain, with what is so in a few words."""

    name: str
    mark: Mark
    detail: str


def readiness_of(
    link: Link,
    link_cause: str,
    kept_by: str,
    admitted: bool,
    holding: str,
    hold_reason: str,
    surveyed: bool,
    installations: int,
    slots: int,
    working: int,
    disk_free: float,
    watch: str = "",
    unable: str = "",
    power: Power = Power.ON,
) -> tuple[Condition, ...]:
    """The chain for one host, in order. ``kept_by`` is the agent's service, "" where it was started by hand;
    ``disk_free`` is in bytes, as of when the host was last heard; ``watch`` is what the watch has reported of the
    service since the host went away, "" for nothing; ``unable`` is what failed when the agent tried whether it can
    work, "" where nothing did; ``power`` tells a host that sleeps from one that is in trouble."""
    connected = link is Link.CONNECTED
    return (
        _connected(connected, link_cause or link, power),
        _supervised(kept_by, watch),
        Condition("Admitted", Mark.HOLDS, "admitted by a person")
        if admitted
        else Condition("Admitted", Mark.BROKEN, "at the gate: no jobs run on it"),
        Condition("Not held", Mark.BROKEN, f"{holding}{': ' + hold_reason if hold_reason else ''}")
        if holding
        else Condition("Not held", Mark.HOLDS, "takes jobs"),
        Condition("Surveyed", Mark.HOLDS, count(installations, "installation"))
        if surveyed
        else Condition("Surveyed", Mark.BROKEN, "its tools are unknown yet"),
        _able(unable, connected),
        _disk(disk_free, connected),
        _slots(slots, working, connected),
    )


def _connected(connected: bool, cause: str, power: Power) -> Condition:
    match power:
        case Power.ASLEEP if not connected:
            return Condition("Connected", Mark.WEAK, "asleep on purpose: it can be woken")
        case Power.WAKING if not connected:
            return Condition("Connected", Mark.WEAK, "it is being woken")
        case Power.GOING_DOWN if connected:
            return Condition("Connected", Mark.BROKEN, "it powers down for standby")
    return Condition("Connected", Mark.HOLDS if connected else Mark.BROKEN, "its agent answers" if connected else cause)


def _able(unable: str, connected: bool) -> Condition:
    if not connected:
        return Condition("Able to work", Mark.UNKNOWN, "unknown while it is away")
    return (
        Condition("Able to work", Mark.BROKEN, unable)
        if unable
        else Condition("Able to work", Mark.HOLDS, "the agent's trial passed")
    )


def _supervised(kept_by: str, watch: str) -> Condition:
    if watch:
        return Condition("Service running", Mark.BROKEN, watch)
    if kept_by:
        return Condition("Service running", Mark.HOLDS, kept_by)
    return Condition("Service running", Mark.WEAK, "started by hand: gone after a reboot")


def _disk(free: float, connected: bool) -> Condition:
    if not connected:
        return Condition("Disk free", Mark.UNKNOWN, "unknown while it is away")
    detail = f"{disk_size(free)} free"
    return Condition("Disk free", Mark.HOLDS if free >= LEAST_DISK else Mark.BROKEN, detail)


def _slots(slots: int, working: int, connected: bool) -> Condition:
    if not connected:
        return Condition("Slot free", Mark.UNKNOWN, "unknown while it is away")
    free = max(0, slots - working)
    return Condition("Slot free", Mark.HOLDS if free else Mark.BROKEN, f"{free} of {count(slots, 'slot')}")

"""A maintenance window at another hour, as a change that can be rehearsed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import ClassVar

from .host_changes import demand_between
from .more_runs import ChangeError
from .rehearsal import Closure, Setting

MAX_HOURS = 7 * 24


@dataclass(frozen=True)
class MoveWindow:
    """Moves a maintenance window by ``hours``; a negative number makes it earlier. ``times`` are its times in the
    recorded weeks. A person's hold of a host during the window moves with it."""

    kind: ClassVar[str] = "move a window"
    window: str
    hours: float
    times: tuple[Closure, ...] = ()

    @property
    def sentence(self) -> str:
        return f"{self.window} {abs(self.hours):g} h {'later' if self.hours > 0 else 'earlier'}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        demand_between(self.hours, -MAX_HOURS, MAX_HOURS, "the number of hours")
        if not self.times:
            raise ChangeError(f"{self.window} did not take place in these weeks, so there is nothing to move.")
        left = [one for closure in setting.closures for one in _without(closure, self.times)]
        shift = self.hours * 3600
        moved = [Closure(one.host, one.since + shift, one.until + shift) for one in self.times]
        return replace(setting, closures=(*left, *moved))


def _without(closure: Closure, times: Iterable[Closure]) -> list[Closure]:
    """What is left of a closure outside the times of its host."""
    parts = [closure]
    for time in times:
        if time.host == closure.host:
            parts = [rest for part in parts for rest in _outside(part, time)]
    return parts


def _outside(closure: Closure, time: Closure) -> list[Closure]:
    if time.until <= closure.since or time.since >= closure.until:
        return [closure]
    ends = [(closure.since, time.since), (time.until, closure.until)]
    return [Closure(closure.host, since, until) for since, until in ends if since < until]

"""A standby policy, as a change that can be rehearsed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, time, tzinfo
from typing import ClassVar

from ..standby.decide import SleepHours
from .host_changes import demand_between, host_named, listed
from .more_runs import ChangeError
from .rehearsal import Setting
from .standby_play import SleepRule

MAX_IDLE_MINUTES = 7 * 24 * 60


@dataclass(frozen=True)
class SleepWhenIdle:
    """Hosts power down after ``idle_minutes`` without a job, and wake when jobs wait for them. They power down only
    from the hour ``begins`` to the hour ``ends``, by the zone of the report; at any time where both are the same.
    ``wakes`` are the seconds that each host usually takes to wake."""

    kind: ClassVar[str] = "sleep when idle"
    hosts: tuple[str, ...]
    idle_minutes: float
    begins: int = 0
    ends: int = 0
    zone: tzinfo = UTC
    wakes: tuple[tuple[str, float], ...] = ()

    @property
    def sentence(self) -> str:
        hours = "" if self.begins == self.ends else f", from {self.begins}:00 to {self.ends}:00"
        return f"{listed(self.hosts)} asleep after {self.idle_minutes:g} min idle{hours}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        demand_between(self.idle_minutes, 1, MAX_IDLE_MINUTES, "the number of minutes")
        if not (0 <= self.begins <= 23 and 0 <= self.ends <= 23):
            raise ChangeError("The hours are between 0 and 23.")
        names = tuple(host_named(setting, name).name for name in self.hosts)
        if twice := next((name for name in names for rule in setting.sleep if name in rule.hosts), ""):
            raise ChangeError(f"{twice} has another standby policy in these changes. Remove one of them.")
        hours = SleepHours(time(self.begins), time(self.ends))
        rule = SleepRule(names, self.idle_minutes * 60, hours, self.zone, dict(self.wakes))
        return replace(setting, sleep=(*setting.sleep, rule))

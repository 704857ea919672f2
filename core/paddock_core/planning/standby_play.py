"""Standby within a rehearsal: which hosts sleep, and when they are up again, by the same decision as on the server.

The decision costs more than a round, so it is made only where it can differ from the last one: when a job came that a
sleeping host fits and that no awake one took, when a host has been idle for long enough, and once a minute while jobs
wait.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, tzinfo

from ..fit import Requirement
from ..fleet import Host, Readiness
from ..fleet_index import FleetIndex
from ..standby.decide import SETTLE_SECONDS, Mode, Policy, Sleeper, SleepHours, Wanted, decide, expected_end
from ..standby.power import USUAL_WAKE_SECONDS, Power

LOOK_SECONDS = 60.0
"""How often standby looks again while jobs wait."""
QUARTER_SECONDS = 900.0


@dataclass(frozen=True)
class SleepRule:
    """The policy by which some hosts sleep in a rehearsal. ``wakes`` are the seconds that a wake takes by host."""

    hosts: tuple[str, ...]
    idle_seconds: float
    hours: SleepHours = field(default_factory=SleepHours)
    zone: tzinfo = UTC
    wakes: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Slept:
    """What came of it: the hours that the hosts slept, in sum, and how often one was woken."""

    hours: float = 0.0
    wakes: int = 0


NOT_SLEPT = Slept()


class StandbyPlay:
    """The power of the hosts of a rehearsal. ``close`` and ``open`` take a host by its number."""

    def __init__(
        self,
        rules: Sequence[SleepRule],
        hosts: Sequence[Host],
        index: FleetIndex,
        since: float,
        close: Callable[[int], None],
        open_: Callable[[int], None],
    ) -> None:
        self._hosts, self._index, self._close, self._open = hosts, index, close, open_
        self._rule = {name: rule for rule in rules for name in rule.hosts}
        self._at = {host.name: at for at, host in enumerate(hosts) if host.name in self._rule}
        self._power = dict.fromkeys(self._at.values(), Power.ON)
        # They have been on for long enough to sleep at once where the play begins.
        self._since = dict.fromkeys(self._at.values(), since - SETTLE_SECONDS)
        self._idle = dict.fromkeys(self._at.values(), since)
        self._running: list[dict[int, tuple[float, float, int]]] = [{} for _ in hosts]
        """By host and run, when it began, the seconds expected of it, and its slots."""
        self._changed: set[int] = set()
        self.asleep = 0
        """The sleeping hosts as bits."""
        self.wants_look = True
        """Whether something happened after which the decision may differ."""
        self._hours = 0.0
        self._wakes = 0

    def slept(self, until: float) -> Slept:
        """So far, counting those that sleep still up to ``until``."""
        still = sum(max(0.0, until - self._since[at]) for at, power in self._power.items() if power is Power.ASLEEP)
        return Slept(self._hours + still / 3600, self._wakes)

    def starts(self, run: int, at: int, slots: int, now: float, expected: float) -> None:
        """A run took slots of a host, and is expected to work for ``expected`` seconds."""
        self._running[at][run] = (now, expected, slots)
        self._changed.add(at)

    def ends(self, run: int, at: int, now: float) -> float | None:
        """A run ended. When its host may power down if nothing comes; None for one that works on or never sleeps."""
        self._running[at].pop(run, None)
        self._changed.add(at)
        if at not in self._idle or self._running[at]:
            return None
        self._idle[at] = now
        return self._due(at)

    def is_up(self, at: int, now: float) -> float:
        """A host that was woken is on; returns when it may be powered down if nothing comes."""
        self._note(at, Power.ON, now)
        self._idle[at] = now
        self._open(at)
        return self._due(at)

    def decide(
        self, now: float, waiting: Sequence[tuple[int, Requirement]]
    ) -> tuple[list[tuple[float, int]], float | None]:
        """Powers hosts down, and wakes others: when each of those will be up. And when time alone may change what
        standby wants, None where it cannot."""
        for at in self._changed:
            self._show(at)
        self._changed.clear()
        self.wants_look = False
        ends = [
            (self._hosts[at].name, expected_end(now, now - began, expected))
            for at, runs in enumerate(self._running)
            for began, expected, slots in runs.values()
            for _ in range(slots)
        ]
        found = decide(
            now,
            self._index,
            [self._sleeper(at, now) for at in self._power],
            [Wanted(run, requirement) for run, requirement in waiting],
            ends,
        )
        for down in found.downs:
            at = self._at[down.host]
            self._note(at, Power.ASLEEP, now)
            self.asleep |= 1 << at
            self._close(at)
        coming = []
        for wake in found.wakes:
            at = self._at[wake.host]
            self._note(at, Power.WAKING, now)
            self.asleep &= ~(1 << at)
            self._wakes += 1
            coming.append((now + self._wake_seconds(at), at))
        return coming, self._again(now, found.look_again, bool(waiting))

    def _again(self, now: float, in_seconds: float | None, is_waiting: bool) -> float | None:
        times = [now + in_seconds] if in_seconds is not None else []
        late = [
            at
            for at, power in self._power.items()
            if power is Power.ON and not self._running[at] and self._due(at) <= now
        ]
        if late and is_waiting:
            times.append(now + LOOK_SECONDS)
        elif late:
            # Only their hours keep them on, and hours begin on the quarter in every zone.
            times.append((now // QUARTER_SECONDS + 1) * QUARTER_SECONDS)
        return min(times, default=None)

    def _due(self, at: int) -> float:
        rule = self._rule[self._hosts[at].name]
        return max(self._idle[at] + rule.idle_seconds, self._since[at] + SETTLE_SECONDS)

    def _sleeper(self, at: int, now: float) -> Sleeper:
        name = self._hosts[at].name
        rule = self._rule[name]
        wall = datetime.fromtimestamp(now, rule.zone).replace(tzinfo=None)
        policy = Policy(Mode.ON_DEMAND, rule.idle_seconds, SETTLE_SECONDS, rule.hours.holds(wall))
        idle = None if self._running[at] else self._idle[at]
        return Sleeper(name, self._power[at], self._since[at], policy, idle, self._wake_seconds(at), 1.0)

    def _wake_seconds(self, at: int) -> float:
        name = self._hosts[at].name
        return self._rule[name].wakes.get(name, USUAL_WAKE_SECONDS)

    def _note(self, at: int, power: Power, now: float) -> None:
        if self._power[at] is Power.ASLEEP:
            self._hours += (now - self._since[at]) / 3600
        self._power[at], self._since[at] = power, now
        self._changed.add(at)

    def _show(self, at: int) -> None:
        host, power = self._hosts[at], self._power.get(at, Power.ON)
        free = max(0, host.slots - sum(slots for *_, slots in self._running[at].values())) if power is Power.ON else 0
        readiness = {Power.ASLEEP: Readiness.ASLEEP, Power.WAKING: Readiness.WAKING}.get(
            power, Readiness.FREE if free else Readiness.BUSY
        )
        self._index.put(replace(host, free_slots=free, readiness=readiness))

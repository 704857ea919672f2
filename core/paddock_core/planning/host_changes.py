"""Changes to hosts and paddocks that can be rehearsed."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta, tzinfo
from typing import ClassVar

from ..fleet import Host, InstalledTool
from .more_runs import ChangeError
from .rehearsal import Closure, Setting

MAX_ADDED = 1_000
CLOSED_DAYS = 28
"""Days after the last recorded run for which hours are still kept: what waits may start so late."""


@dataclass(frozen=True)
class AddHosts:
    """More hosts like one that is there, in its paddock."""

    kind: ClassVar[str] = "add hosts"
    like: str
    count: int = 1

    @property
    def sentence(self) -> str:
        return f"{self.count} more {'host' if self.count == 1 else 'hosts'} like {self.like}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        demand_between(self.count, 1, MAX_ADDED, "the number of hosts to add")
        model = host_named(setting, self.like)
        taken = {host.name for host in setting.hosts}
        names = [f"{self.like}+{n}" for n in range(1, self.count + len(taken) + 1)]
        new = [name for name in names if name not in taken][: self.count]
        speeds = {**setting.speeds, **{name: setting.speeds.get(self.like, 1.0) for name in new}}
        # A hold of the model is its own; power hours and windows that are changed later name hosts themselves.
        return replace(setting, hosts=(*setting.hosts, *(replace(model, name=name) for name in new)), speeds=speeds)


@dataclass(frozen=True)
class RetireHosts:
    """Hosts that are gone."""

    kind: ClassVar[str] = "retire hosts"
    hosts: tuple[str, ...]

    @property
    def sentence(self) -> str:
        return f"without {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        gone = {host_named(setting, name).name for name in self.hosts}
        return replace(setting, hosts=tuple(host for host in setting.hosts if host.name not in gone))


@dataclass(frozen=True)
class HoldHosts:
    """Hosts that take no jobs at all."""

    kind: ClassVar[str] = "hold hosts"
    hosts: tuple[str, ...]

    @property
    def sentence(self) -> str:
        return f"{listed(self.hosts)} on hold"

    def apply(self, setting: Setting, seed: int) -> Setting:
        closed = tuple(Closure(host_named(setting, name).name, -math.inf, math.inf) for name in self.hosts)
        return replace(setting, closures=(*setting.closures, *closed))


@dataclass(frozen=True)
class SetSlots:
    """Another number of slots."""

    kind: ClassVar[str] = "set slots"
    hosts: tuple[str, ...]
    slots: int

    @property
    def sentence(self) -> str:
        return f"{self.slots} {'slot' if self.slots == 1 else 'slots'} on {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        demand_between(self.slots, 1, 256, "the number of slots")
        return changed_hosts(setting, self.hosts, lambda host: replace(host, slots=self.slots))


@dataclass(frozen=True)
class ChangeLabels:
    """Labels that hosts get or lose."""

    kind: ClassVar[str] = "change labels"
    hosts: tuple[str, ...]
    add: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        parts = [f"label {label}" for label in self.add] + [f"no label {label}" for label in self.remove]
        return f"{', '.join(parts)} on {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        add, remove = ({label.strip().lower() for label in some} for some in (self.add, self.remove))
        if both := add & remove:
            raise ChangeError(f"The label {min(both)} cannot be both added and removed.")
        if not add | remove:
            raise ChangeError("Say which labels are added or removed.")
        return changed_hosts(setting, self.hosts, lambda host: replace(host, labels=(host.labels | add) - remove))


@dataclass(frozen=True)
class InstallTool:
    """A tool, in a version, on hosts. ``scheme`` orders its versions."""

    kind: ClassVar[str] = "install a tool"
    hosts: tuple[str, ...]
    tool: str
    version: str
    scheme: str = "generic"

    @property
    def sentence(self) -> str:
        return f"{self.tool} {self.version} on {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        def change(host: Host) -> Host:
            new = InstalledTool(self.tool, self.version, f"{self.tool}-{self.version}", scheme=self.scheme)
            return replace(host, installations=(*host.installations, new))

        return changed_hosts(setting, self.hosts, change)


@dataclass(frozen=True)
class RemoveTool:
    """A tool that is gone from hosts: one version, or all."""

    kind: ClassVar[str] = "remove a tool"
    hosts: tuple[str, ...]
    tool: str
    version: str = ""

    @property
    def sentence(self) -> str:
        return f"no {f'{self.tool} {self.version}'.strip()} on {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        def change(host: Host) -> Host:
            left = tuple(
                one
                for one in host.installations
                if one.tool != self.tool or (self.version and one.version != self.version)
            )
            if left == host.installations:
                raise ChangeError(f"{host.name} has no {f'{self.tool} {self.version}'.strip()} to remove.")
            return replace(host, installations=left)

        return changed_hosts(setting, self.hosts, change)


@dataclass(frozen=True)
class MoveHosts:
    """Hosts in another paddock."""

    kind: ClassVar[str] = "move hosts"
    hosts: tuple[str, ...]
    paddock: str

    @property
    def sentence(self) -> str:
        return f"{listed(self.hosts)} in {self.paddock}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        return changed_hosts(setting, self.hosts, lambda host: replace(host, paddock=self.paddock))


@dataclass(frozen=True)
class SetFence:
    """The pipelines that a paddock lets in; none given: all."""

    kind: ClassVar[str] = "set a fence"
    paddock: str
    pipelines: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        return f"{self.paddock} lets in {listed(self.pipelines) if self.pipelines else 'every pipeline'}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        if self.paddock not in {host.paddock for host in setting.hosts}:
            raise ChangeError(f"The paddock {self.paddock} has no hosts.")
        others = {name: let_in for name, let_in in setting.fences.items() if name != self.paddock}
        return replace(
            setting, fences={**others, self.paddock: frozenset(self.pipelines)} if self.pipelines else others
        )


@dataclass(frozen=True)
class ReserveHosts:
    """Hosts that take only jobs which ask for one of their labels, or take any again."""

    kind: ClassVar[str] = "reserve hosts"
    hosts: tuple[str, ...]
    reserved: bool = True

    @property
    def sentence(self) -> str:
        return f"{listed(self.hosts)} {'reserved' if self.reserved else 'open'}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        return changed_hosts(setting, self.hosts, lambda host: replace(host, reserved=self.reserved))


@dataclass(frozen=True)
class DailyHours:
    """Hosts that take jobs only between two hours of the day, in hours since midnight by the zone of the report: for
    power hours, or a window that moved. ``days`` are those on which they do, 0 for Monday."""

    kind: ClassVar[str] = "set hours"
    hosts: tuple[str, ...]
    begins: float
    ends: float
    days: tuple[int, ...] = (0, 1, 2, 3, 4, 5, 6)
    zone: tzinfo = UTC

    @property
    def sentence(self) -> str:
        days = "" if len(self.days) == 7 else f" on {len(self.days)} days a week"
        return f"{listed(self.hosts)} from {_clock(self.begins)} to {_clock(self.ends)} only{days}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        if not 0 <= self.begins < self.ends <= 24:
            raise ChangeError("The hours begin before they end, between 0 and 24.")
        past = setting.past
        if not len(past):
            return setting
        first = max(float(past.sent.min()), setting.since)
        last = float(past.ended.max()) + CLOSED_DAYS * 86_400
        open_hours = list(self._open_hours(first, last))
        edges = [first - 86_400, *(moment for span in open_hours for moment in span), last + 86_400]
        shut = [(edges[at], edges[at + 1]) for at in range(0, len(edges), 2)]
        closures = tuple(
            Closure(host_named(setting, name).name, since, until) for name in self.hosts for since, until in shut
        )
        return replace(setting, closures=(*setting.closures, *closures))

    def _open_hours(self, first: float, last: float) -> Sequence[tuple[float, float]]:
        day = datetime.fromtimestamp(first, self.zone).replace(hour=0, minute=0, second=0, microsecond=0)
        found = []
        while day.timestamp() < last:
            if day.weekday() in self.days:
                found.append(tuple(_at(day, hour).timestamp() for hour in (self.begins, self.ends)))
            day = _at(day, 36).replace(hour=0)
        return [(begins, ends) for begins, ends in found if ends > begins]


def changed_hosts(setting: Setting, names: Collection[str], change: Callable[[Host], Host]) -> Setting:
    """The setting with these hosts changed. Raises ChangeError for one that is not in the fleet."""
    wanted = {host_named(setting, name).name for name in names}
    return replace(setting, hosts=tuple(change(host) if host.name in wanted else host for host in setting.hosts))


def host_named(setting: Setting, name: str) -> Host:
    for host in setting.hosts:
        if host.name == name:
            return host
    raise ChangeError(f"The host {name} is not in the fleet any more. Remove it from the change.")


def demand_between(number: float, low: float, high: float, what: str) -> None:
    """Raises ChangeError for a number out of its bounds."""
    if not low <= number <= high:
        raise ChangeError(f"{what[0].upper()}{what[1:]} is between {low:g} and {high:g}.")


def listed(names: Sequence[str]) -> str:
    """Up to three names, or two and how many more."""
    return ", ".join(names) if len(names) <= 3 else f"{', '.join(names[:2])} and {len(names) - 2} more"


def _clock(hour: float) -> str:
    return f"{int(hour):02}:{round(hour % 1 * 60):02}"


def _at(day: datetime, hour: float) -> datetime:
    """The moment at which the clock has gone ``hour`` hours past this midnight."""
    return (day.replace(tzinfo=None) + timedelta(hours=hour)).replace(tzinfo=day.tzinfo)

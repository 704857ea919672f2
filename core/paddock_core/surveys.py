"""What surveys say of a host over time: only changes are kept, and any moment is had by undoing the later ones.

A *snapshot* is what is known of one host at one moment, as plain values: for every thing, named by its kind, its name
and its place, its properties. A tool's place is its path; other things have none.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

Thing = tuple[str, str, str]
"""Kind (tool, system, variable or group), name, and place."""
Properties = Mapping[str, str]
Snapshot = Mapping[Thing, Properties]

TOOL, SYSTEM, VARIABLE, GROUP = "tool", "system", "variable", "group"


class What(StrEnum):
    """What has happened to a thing."""

    CAME = "came"
    WENT = "went"
    CHANGED = "changed"
    BROKE = "broke"
    MENDED = "mended"


@dataclass(frozen=True)
class Change:
    """One thing that was otherwise in the survey before. ``before`` or ``after`` is None where it was not there."""

    thing: Thing
    before: Properties | None
    after: Properties | None

    @property
    def what(self) -> What:
        if self.before is None:
            return What.CAME
        if self.after is None:
            return What.WENT
        was_broken, is_broken = bool(self.before.get("why")), bool(self.after.get("why"))
        if was_broken != is_broken:
            return What.BROKE if is_broken else What.MENDED
        return What.CHANGED


def changes(before: Snapshot, after: Snapshot) -> list[Change]:
    """What differs, in the order of the things.

    >>> one = {("tool", "jdk", "/opt/jdk"): {"version": "17"}}
    >>> [(c.what.value, c.thing[1]) for c in changes(one, {})]
    [('went', 'jdk')]
    """
    differing = [thing for thing in before.keys() | after.keys() if before.get(thing) != after.get(thing)]
    return [Change(thing, before.get(thing), after.get(thing)) for thing in sorted(differing)]


def undone(now: Snapshot, later: Iterable[Change]) -> dict[Thing, Properties]:
    """The snapshot as it was before ``later``, which is what has changed since, in any order of time: the latest
    first."""
    then = dict(now)
    for change in later:
        if change.before is None:
            then.pop(change.thing, None)
        else:
            then[change.thing] = change.before
    return then


def differing(snapshots: Mapping[str, Snapshot]) -> list[tuple[Thing, dict[str, Properties | None]]]:
    """Of several hosts' snapshots, only the things that are not the same on all of them.

    Tools are compared by what a person means by the same: the versions of a tool, wherever they lie. So the place is
    left out, and the properties of a tool are its versions in order, the plain one first.
    """
    merged = {host: _without_places(snapshot) for host, snapshot in snapshots.items()}
    things = sorted({thing for snapshot in merged.values() for thing in snapshot})
    rows = [(thing, {host: snapshot.get(thing) for host, snapshot in merged.items()}) for thing in things]
    return [row for row in rows if any(properties != next(iter(row[1].values())) for properties in row[1].values())]


def _without_places(snapshot: Snapshot) -> dict[Thing, Properties]:
    merged: dict[Thing, Properties] = {}
    found: dict[str, list[tuple[bool, str]]] = {}
    for (kind, name, place), properties in snapshot.items():
        if kind != TOOL:
            merged[kind, name, place] = properties
            continue
        version = f"broken: {properties['why']}" if properties.get("why") else properties.get("version", "")
        found.setdefault(name, []).append((not properties.get("plain"), version))
    for name, versions in found.items():
        merged[TOOL, name, ""] = {"version": ", ".join(dict.fromkeys(version for _, version in sorted(versions)))}
    return merged

"""The changes that can be rehearsed: each makes another setting out of one, and says in a sentence what it is.

A kind of change is one class in ``host_changes`` or ``work_changes``, and one line in ``CHANGES``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import Any

from .host_changes import (
    AddHosts,
    ChangeLabels,
    DailyHours,
    HoldHosts,
    InstallTool,
    MoveHosts,
    RemoveTool,
    ReserveHosts,
    RetireHosts,
    SetFence,
    SetSlots,
)
from .kit_change import MeetKit
from .more_runs import ChangeError
from .rehearsal import Setting
from .sleep_change import SleepWhenIdle
from .window_change import MoveWindow
from .work_changes import AddPipeline, ChangeTerm, GrowPipeline, SetPriority

MAX_CHANGES = 30
RESOLVED = ("zone", "terms", "times", "wakes")
"""Fields that no person writes: the server fills them in from what it knows."""

Change = (
    AddHosts | RetireHosts | HoldHosts | SetSlots | ChangeLabels | InstallTool | RemoveTool | MoveHosts | SetFence
    | ReserveHosts | SetPriority | GrowPipeline | AddPipeline | ChangeTerm | DailyHours | MeetKit | MoveWindow
    | SleepWhenIdle
)  # fmt: skip
CHANGES: Mapping[str, type[Any]] = {
    one.kind: one
    for one in (
        AddHosts, RetireHosts, HoldHosts, SetSlots, ChangeLabels, InstallTool, RemoveTool, MoveHosts, SetFence,
        ReserveHosts, SetPriority, GrowPipeline, AddPipeline, ChangeTerm, DailyHours, MeetKit, MoveWindow,
        SleepWhenIdle,
    )
}  # fmt: skip


def change_of(written: Mapping[str, Any]) -> Change:
    """The change that was written as plain values: its ``kind`` and its fields. Raises ChangeError."""
    chosen = CHANGES.get(str(written.get("kind")))
    if chosen is None:
        raise ChangeError(f'There is no change "{str(written.get("kind"))[:40]}". Known: {", ".join(sorted(CHANGES))}.')
    values = {}
    for field in fields(chosen):
        if field.name not in written or field.name in RESOLVED:
            continue
        value = written[field.name]
        is_list = "tuple" in str(field.type)
        if is_list:
            if not isinstance(value, list | tuple) or not all(isinstance(one, str | int) for one in value):
                raise ChangeError(f"{chosen.kind}: {field.name} is a list.")
            value = tuple(value)
        elif isinstance(value, bool) != (field.type == "bool") or not isinstance(
            value, {"int": int, "float": int | float, "bool": bool}.get(str(field.type), str)
        ):
            raise ChangeError(f"{chosen.kind}: {field.name} is not a {field.type}.")
        values[field.name] = value
    try:
        made: Change = chosen(**values)
    except TypeError as error:
        raise ChangeError(f"{chosen.kind}: {_missing(chosen, values)} is missing.") from error
    if getattr(made, "hosts", None) == ():
        raise ChangeError(f"{made.kind}: say which hosts.")
    return made


def written(change: Change) -> dict[str, Any]:
    """The change as plain values, for ``change_of``."""
    values = {field.name: getattr(change, field.name) for field in fields(change) if field.name not in RESOLVED}
    return {"kind": change.kind, **{k: list(v) if isinstance(v, tuple) else v for k, v in values.items()}}


def apply_all(setting: Setting, changes: Sequence[Change], seed: int = 0) -> Setting:
    """The setting with all changes, in their order. Raises ChangeError for what contradicts itself."""
    if len(changes) > MAX_CHANGES:
        raise ChangeError(f"At most {MAX_CHANGES} changes at a time.")
    gone: dict[str, str] = {}
    for change in changes:
        for name in getattr(change, "hosts", ()):
            if name in gone:
                raise ChangeError(
                    f'"{gone[name]}" retires {name}, so "{change.sentence}" has nothing to act on. Remove one of them.'
                )
        setting = change.apply(setting, seed)
        if isinstance(change, RetireHosts):
            gone |= dict.fromkeys(change.hosts, change.sentence)
    touched: dict[tuple[str, str], str] = {}
    for change in changes:
        if isinstance(change, SetSlots | MoveHosts | ReserveHosts):
            for name in change.hosts:
                if (change.kind, name) in touched:
                    raise ChangeError(f'"{touched[change.kind, name]}" and "{change.sentence}" contradict each other.')
                touched[change.kind, name] = change.sentence
    return setting


def _missing(chosen: type[Any], values: Mapping[str, Any]) -> str:
    return next((field.name for field in fields(chosen) if field.name not in values), "a field")

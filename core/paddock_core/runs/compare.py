"""What differed between two runs: the question after every odd failure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..surveys import TOOL, Snapshot, differing

JOB, HOST, BOUND, TOOLS, ENVIRONMENT, STEPS = "job", "host", "bound tools", "tools", "environment", "steps"
IN_ORDER = (STEPS, JOB, BOUND, HOST, ENVIRONMENT, TOOLS)
"""Groups, with what most often is the cause in front."""


@dataclass(frozen=True)
class Evidence:
    """What is known of one run. ``job`` and ``host`` are values by name; ``bound`` versions and paths by tool;
    ``environment`` values by name, "" where only the name is known; ``steps`` how each step ended, by its name;
    ``survey`` what the host had then, None where that is not known."""

    job: Mapping[str, str]
    host: Mapping[str, str]
    bound: Mapping[str, str] = field(default_factory=dict)
    environment: Mapping[str, str] = field(default_factory=dict)
    steps: Mapping[str, str] = field(default_factory=dict)
    survey: Snapshot | None = None


@dataclass(frozen=True)
class Difference:
    """One thing that is otherwise: what the first run had, and the second; None where it had none. ``used`` marks a
    tool that the job is bound to."""

    group: str
    name: str
    first: str | None
    second: str | None
    used: bool = False


def differences(first: Evidence, second: Evidence) -> list[Difference]:
    """All that differed, in the order of IN_ORDER; of tools, those that the jobs asked for first."""
    found = []
    for group, before, after in (
        (STEPS, first.steps, second.steps),
        (JOB, first.job, second.job),
        (BOUND, first.bound, second.bound),
        (HOST, first.host, second.host),
        (ENVIRONMENT, first.environment, second.environment),
    ):
        names = [name for name in dict.fromkeys([*before, *after]) if before.get(name) != after.get(name)]
        found += [Difference(group, name, before.get(name), after.get(name)) for name in names]
    if first.survey is not None and second.survey is not None:
        found += _tools(first, second)
    return sorted(found, key=lambda one: (IN_ORDER.index(one.group), not one.used))


def _tools(first: Evidence, second: Evidence) -> Sequence[Difference]:
    used = {name.split(" ")[0] for name in (*first.bound, *second.bound)}
    rows = differing({"first": first.survey or {}, "second": second.survey or {}})
    return [
        Difference(TOOLS, name, _version(properties["first"]), _version(properties["second"]), name in used)
        for (kind, name, _), properties in rows
        if kind == TOOL
    ]


def _version(properties: Mapping[str, str] | None) -> str | None:
    return None if properties is None else properties.get("version", "")

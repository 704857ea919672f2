"""What the core compares: a host's survey as plain values, now and at any earlier moment."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from paddock_core.surveys import GROUP, SYSTEM, TOOL, VARIABLE, Change, Properties, Snapshot, Thing, undone

from ..hosts.models import Host
from ..moments import moment
from .models import SurveyChange

_FACTS = {"os_name": "system", "cores": "cores", "memory": "memory", "user": "account"}
_DETAILS = {
    "build": "build",
    "processor": "processor",
    "display": "display",
    "restart_pending": "restart pending",
}


def snapshot(
    installations: Iterable[tuple[str, str, str, str, bool]],
    broken: Sequence[Mapping[str, Any]],
    facts: Mapping[str, Any],
    details: Mapping[str, Any],
) -> dict[Thing, Properties]:
    """A host as values. ``installations`` are tool, version, path, home, and whether it is the plain one."""
    snapshot: dict[Thing, Properties] = {
        (TOOL, tool, path): {"version": version, "home": home, "plain": "yes" if plain else ""}
        for tool, version, path, home, plain in installations
    }
    snapshot |= {(TOOL, one["tool"], one["path"]): {"why": one["why"]} for one in broken}
    snapshot |= {(SYSTEM, name, ""): {"value": str(facts[key])} for key, name in _FACTS.items() if facts.get(key)}
    snapshot |= {(SYSTEM, name, ""): {"value": details[key]} for key, name in _DETAILS.items() if details.get(key)}
    if features := details.get("features"):
        snapshot[SYSTEM, "processor features", ""] = {"value": " ".join(features)}
    if updated := moment(details.get("packages_updated")):
        snapshot[SYSTEM, "packages updated", ""] = {"value": updated.strftime("%Y-%m-%d %H:%M UTC")}
    values = details.get("values", {})
    snapshot |= {(VARIABLE, name, ""): {"value": values.get(name, "")} for name in details.get("variables", [])}
    snapshot |= {(GROUP, name, ""): {} for name in details.get("groups", [])}
    return snapshot


def snapshot_of(host: Host) -> dict[Thing, Properties]:
    """What is known of a host now."""
    found = host.installations.values_list("tool", "version", "path", "home", "plain")
    return snapshot(found, host.broken, host.facts, host.details)


def snapshot_at(host: Host, moment: datetime) -> Snapshot | None:
    """The snapshot of a host at a moment; None before the first survey."""
    later = list(SurveyChange.objects.filter(host=host, at__gt=moment).order_by("-id"))
    if not SurveyChange.objects.filter(host=host, at__lte=moment).exists():
        return None
    return undone(snapshot_of(host), (as_change(one) for one in later))


def as_change(row: SurveyChange) -> Change:
    """A stored change as the core has it."""
    return Change((row.kind, row.name, row.place), row.before, row.after)

"""Whether a term holds on a host, does not, or cannot be known; with what was found there."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from . import versions
from .errors import VersionError
from .fleet import Host, InstalledTool
from .spelling import nearest
from .terms import (
    AllOf,
    AnyOf,
    ArchTerm,
    CoresTerm,
    DiskTerm,
    DisplayTerm,
    EnvTerm,
    GroupTerm,
    HostTerm,
    KitTerm,
    LabelTerm,
    MemoryTerm,
    NotTerm,
    OsTerm,
    PaddockTerm,
    ServiceTerm,
    Term,
    ToolTerm,
)
from .units import disk_size, memory_size
from .versions import VersionRange

RUNNING, NOT_WATCHED = "running", "not watched"
NOT_SURVEYED = "not surveyed"
BROKEN = "broken"
NO_DISPLAY = "none"


@dataclass(frozen=True)
class Verdict:
    """Whether one term holds on one host. ``found`` is what is there, in the words of the machine, "" for nothing;
    ``bound`` are the installations that tool terms in it are met by. What is not ``known`` does not hold, and nor does
    the ``not`` of it."""

    holds: bool
    found: str = ""
    bound: tuple[InstalledTool, ...] = ()
    known: bool = True


def verdict(term: Term, host: Host) -> Verdict:
    """Whether ``term`` holds on ``host``; for joined terms by the strong three-valued logic of Kleene."""
    match term:
        case OsTerm():
            return Verdict(host.os == term.name and _os_version_in(term, host), f"{host.os} {host.os_version}".strip())
        case ArchTerm():
            return Verdict(host.arch == term.name, host.arch)
        case LabelTerm():
            holds = term.name in host.labels
            return Verdict(holds, term.name if holds else closest_label(term.name, host.labels))
        case HostTerm():
            return Verdict(host.name.lower() == term.name, host.name)
        case PaddockTerm():
            return Verdict(host.paddock.lower() == term.name, host.paddock)
        case CoresTerm():
            return Verdict(host.cores >= term.least, str(host.cores or ""), known=host.cores > 0)
        case MemoryTerm():
            return Verdict(host.memory >= term.least, memory_size(host.memory), known=host.memory > 0)
        case DiskTerm():
            if host.disk_free is None:
                return Verdict(False, known=False)
            return Verdict(host.disk_free >= term.least, disk_size(host.disk_free))
        case ServiceTerm():
            how = host.services.get(term.name, "")
            return Verdict(how == RUNNING, how or NOT_WATCHED, known=bool(how))
        case NotTerm(inner):
            opposite = verdict(inner, host)
            return Verdict(opposite.known and not opposite.holds, opposite.found, known=opposite.known)
        case AnyOf(terms):
            return _any_of([verdict(one, host) for one in terms])
        case AllOf(terms):
            return _all_of([verdict(one, host) for one in terms])
        case KitTerm():
            return _kit_verdict(term, host)
    return _surveyed_verdict(term, host)


def _surveyed_verdict(term: ToolTerm | EnvTerm | GroupTerm | DisplayTerm, host: Host) -> Verdict:
    """On what only a survey tells."""
    if not host.surveyed:
        return Verdict(False, NOT_SURVEYED, known=False)
    match term:
        case ToolTerm():
            meeting = meeting_term(term, host)
            if meeting:
                return Verdict(True, meeting[0].version, (meeting[0],))
            there = [one.version for one in host.installed(term.name)]
            return Verdict(False, ", ".join([*there, BROKEN] if term.name in host.broken else there))
        case EnvTerm():
            return _env_verdict(term, host)
        case GroupTerm():
            holds = term.name.casefold() in {one.casefold() for one in host.groups}
            return Verdict(holds, term.name if holds else "", known=bool(host.groups) or holds)
        case DisplayTerm():
            return Verdict(host.display not in ("", NO_DISPLAY), host.display, known=bool(host.display))


def _env_verdict(term: EnvTerm, host: Host) -> Verdict:
    """Windows does not mind the case of a variable's name."""

    def known_as(name: str) -> str:
        return name.upper() if host.os == "windows" else name

    wanted = known_as(term.name)
    if not any(known_as(name) == wanted for name in host.variables):
        return Verdict(False)
    if term.value is None:
        return Verdict(True, "set")
    value = next((value for name, value in host.values.items() if known_as(name) == wanted), None)
    if value is None:
        return Verdict(False, "set; its value is not reported", known=False)
    return Verdict(value == term.value, value)


def _kit_verdict(term: KitTerm, host: Host) -> Verdict:
    if term.terms is None:
        return Verdict(False)
    parts = [verdict(one, host) for one in term.terms]
    whole = _all_of(parts)
    lacking = [str(one) for one, part in zip(term.terms, parts, strict=True) if not part.holds]
    return Verdict(whole.holds, "met" if whole.holds else f"lacks {', '.join(lacking)}", whole.bound, whole.known)


def _any_of(parts: list[Verdict]) -> Verdict:
    holding = next((part for part in parts if part.holds), None)
    if holding:
        return holding
    return Verdict(False, _joined(parts), known=all(part.known for part in parts))


def _all_of(parts: list[Verdict]) -> Verdict:
    holds = all(part.holds for part in parts)
    known = holds or any(part.known and not part.holds for part in parts)
    bound = tuple(one for part in parts for one in part.bound) if holds else ()
    return Verdict(holds, _joined(parts), bound, known)


def _joined(parts: Iterable[Verdict]) -> str:
    return "; ".join(dict.fromkeys(part.found or "nothing" for part in parts))


def meeting_term(term: ToolTerm, host: Host) -> list[InstalledTool]:
    """The installations that meet a tool term: the one that the bare command gets, then the newest first."""
    wanted = term.range
    return [one for one in host.installed(term.name) if wanted is None or _contains(wanted, one.version)]


@lru_cache(maxsize=50_000)
def _contains(wanted: VersionRange, version: str) -> bool:
    """Many hosts have the same versions, and each round asks again."""
    try:
        return wanted.contains(versions.parse(version, wanted.scheme))
    except VersionError:
        return False


@lru_cache(maxsize=10_000)
def closest_label(name: str, labels: frozenset[str]) -> str:
    """What was perhaps meant. Many hosts have the same labels, and each round asks again."""
    return nearest(name, labels) or ""


def _os_version_in(term: OsTerm, host: Host) -> bool:
    return term.range is None or _contains(term.range, host.os_version)

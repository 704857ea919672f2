"""Kits: what hosts are meant to meet, against what the surveys found."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from .fleet import Host
from .terms import Term, ToolTerm, ToolWords
from .verdicts import verdict
from .versions import Version


class Stands(StrEnum):
    """How a host stands to a kit."""

    MEETS = "meets"
    AHEAD = "is ahead"
    MISSES = "misses"
    UNKNOWN = "not surveyed"


@dataclass(frozen=True)
class Standing:
    """``lacking`` are the places of the terms, from 0, that do not hold, with what is there instead ("" for nothing);
    those in ``ahead`` do not hold only since what is there is newer than all that the term takes."""

    stands: Stands
    lacking: tuple[tuple[int, str], ...] = ()
    ahead: tuple[int, ...] = ()


def standing(terms: Sequence[Term], host: Host) -> Standing:
    """How a host stands to a kit: it *meets* it when every term holds. It *is ahead* when those that do not hold all
    ask for tools of which it has a newer version than they take; otherwise it *misses* something."""
    if not host.surveyed:
        return Standing(Stands.UNKNOWN)
    lacking, ahead = [], []
    for place, term in enumerate(terms):
        found = verdict(term, host)
        if not found.holds:
            lacking.append((place, found.found))
            if isinstance(term, ToolTerm) and is_newer(term, host):
                ahead.append(place)
    if not lacking:
        return Standing(Stands.MEETS)
    stands = Stands.AHEAD if len(ahead) == len(lacking) else Stands.MISSES
    return Standing(stands, tuple(lacking), tuple(ahead))


def is_newer(term: ToolTerm, host: Host) -> bool:
    """Whether the host has a version above all that the term's range takes, and none below it would do."""
    if term.range is None:
        return False
    uppers = [one.bound for one in term.range.comparisons if one.op in ("<", "<=", "=", "upto", "starts")]
    there = [version for one in host.installed(term.name) if (version := one.ordered_by(term.range.scheme))]
    return bool(uppers) and any(all(_above(version, bound) for bound in uppers) for version in there)


def _above(version: Version, bound: Version) -> bool:
    size = len(bound.release)
    return version > bound and (version.release + (0,) * size)[:size] > bound.release


@dataclass(frozen=True)
class Effect:
    """What a change to a kit would do to the hosts that it is put on: names, in order."""

    put_out: tuple[str, ...]
    put_in: tuple[str, ...]
    stay_in: tuple[str, ...]
    stay_out: tuple[str, ...]


def effect(before: Mapping[str, bool], after: Mapping[str, bool]) -> Effect:
    """Who would be put out of the kit, or into it, by a change: each host's name, and whether it is in the kit. A host
    that the kit is not put on is in neither mapping, and one that it is newly put on only in ``after``."""
    names = sorted(after)
    was = {name: before.get(name, True) for name in names}
    return Effect(
        tuple(name for name in names if was[name] and not after[name]),
        tuple(name for name in names if not was[name] and after[name]),
        tuple(name for name in names if was[name] and after[name]),
        tuple(name for name in names if not was[name] and not after[name]),
    )


def proposed_from_host(host: Host, words: ToolWords) -> list[str]:
    """Terms that this host meets: its system, and each tool that a plain command gets, by the line of its version.

    A line is as much of the version as its makers support together: the first number, or the first two where the first
    is below 10 and seldom changes.
    """
    terms = [f"os {host.os}"] if host.os else []
    for tool in sorted({one.tool for one in host.installations}):
        first = host.installed(tool)[0]
        version = first.ordered
        if not first.plain or version is None:
            continue
        terms.append(f"tool {tool} {line_of(version)}")
    return terms


def line_of(version: Version) -> str:
    """``17.0.9+9`` -> ``17``; ``3.11.2`` -> ``3.11``; ``3.11`` -> ``3.11``."""
    release = version.release[: 1 if version.release[0] >= 10 else 2]
    return ".".join(map(str, release))


def proposed_from_jobs(asked: Iterable[tuple[Sequence[Term], int]], least_share: float = 0.05) -> list[tuple[str, int]]:
    """The terms for tools that jobs asked for, each with the number of jobs, the most wanted first.

    ``asked`` are the terms of jobs with how many jobs had them. A term that fewer than ``least_share`` of all jobs
    asked for is left out: a kit is what hosts are meant to have, not all that one job once wanted.
    """
    counted: Counter[str] = Counter()
    jobs = 0
    for terms, number in asked:
        jobs += number
        for term in {str(term) for term in terms if isinstance(term, ToolTerm)}:
            counted[term] += number
    wanted = [(term, number) for term, number in counted.items() if number >= least_share * jobs]
    return sorted(wanted, key=lambda one: (-one[1], one[0]))

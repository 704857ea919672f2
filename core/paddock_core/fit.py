"""The fit sheet: hosts against terms, each verdict with what was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from . import versions
from .errors import VersionError
from .fleet import Host, Installation
from .terms import ArchTerm, HostTerm, LabelTerm, OsTerm, ServiceTerm, Term, ToolTerm
from .words import nearest

RUNNING, NOT_WATCHED = "running", "not watched"
NEAR_FIT_LACKS = 2
"""A host that lacks more terms than this is no near fit: nobody mends that much for one job."""


@dataclass(frozen=True)
class Verdict:
    """Whether one term holds on one host. ``found`` is what is there, in the words of the machine, "" for nothing;
    ``installation`` is what the term is bound to when a tool term holds."""

    holds: bool
    found: str
    installation: Installation | None = None


@dataclass(frozen=True)
class FitRow:
    """One host's verdicts, in the order of the terms."""

    host: Host
    verdicts: tuple[Verdict, ...]

    @property
    def lacks(self) -> int:
        return sum(not verdict.holds for verdict in self.verdicts)

    @property
    def fits(self) -> bool:
        return self.lacks == 0

    @property
    def is_near_fit(self) -> bool:
        return 0 < self.lacks <= min(NEAR_FIT_LACKS, len(self.verdicts) - 1)

    @property
    def binding(self) -> tuple[Installation, ...]:
        """The installations that the job's tool terms are bound to on this host."""
        return tuple(dict.fromkeys(v.installation for v in self.verdicts if v.holds and v.installation is not None))


@dataclass(frozen=True)
class FitSheet:
    """All hosts against all terms. Rows are ordered: fits, then by the number of terms lacking, then by name."""

    terms: tuple[Term, ...]
    rows: tuple[FitRow, ...]

    @property
    def fitting(self) -> tuple[FitRow, ...]:
        return tuple(row for row in self.rows if row.fits)

    @property
    def counts(self) -> tuple[int, ...]:
        """For each term, on how many hosts it holds."""
        return tuple(sum(row.verdicts[i].holds for row in self.rows) for i in range(len(self.terms)))


def verdict(term: Term, host: Host) -> Verdict:
    """Whether ``term`` holds on ``host``."""
    match term:
        case OsTerm():
            found = f"{host.os} {host.os_version}".strip()
            return Verdict(host.os == term.name and _os_version_in(term, host), found)
        case ArchTerm():
            return Verdict(host.arch == term.name, host.arch)
        case LabelTerm():
            holds = term.name in host.labels
            return Verdict(holds, term.name if holds else closest_label(term.name, host.labels))
        case HostTerm():
            return Verdict(host.name.lower() == term.name, host.name)
        case ServiceTerm():
            how = host.services.get(term.name, "")
            return Verdict(how == RUNNING, how or NOT_WATCHED)
        case ToolTerm():
            return _tool_verdict(term, host)


@lru_cache(maxsize=10_000)
def closest_label(name: str, labels: frozenset[str]) -> str:
    """What was perhaps meant. Many hosts have the same labels, and each round asks again."""
    return nearest(name, labels) or ""


def _os_version_in(term: OsTerm, host: Host) -> bool:
    if term.range is None:
        return True
    try:
        return term.range.contains(versions.parse(host.os_version))
    except VersionError:
        return False


def _tool_verdict(term: ToolTerm, host: Host) -> Verdict:
    installed = host.installed(term.name)
    for one in installed:
        ordered = one.ordered_by(term.range.scheme) if term.range else None
        if term.range is None or (ordered is not None and term.range.contains(ordered)):
            return Verdict(True, one.version, one)
    return Verdict(False, ", ".join(one.version for one in installed))


def fit_sheet(terms: Sequence[Term], hosts: Sequence[Host]) -> FitSheet:
    """Every host against every term.

    A tool term is bound to the installation that the bare command gets, if that meets it, else to the newest that does:
    the least surprise for whoever tries the script by hand.
    """
    rows = [FitRow(host, tuple(verdict(term, host) for term in terms)) for host in hosts]
    rows.sort(key=lambda row: (row.lacks, row.host.name))
    return FitSheet(tuple(terms), tuple(rows))

"""What a job asks for, which hosts fit, and the fit sheet: hosts against terms, each verdict with what was found."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from .fleet import Host, InstalledTool
from .fleet_index import Bits, FleetIndex, FleetWords, intersection
from .terms import AllOf, AnyOf, HostTerm, KitTerm, LabelTerm, Term, ToolTerm, asked
from .verdicts import Verdict, meeting_term, verdict

NEAR_FIT_LACKS = 2
"""A host that lacks more than this is not a near fit: too much work for one job."""
MARKED_LACKS = 6
"""The same for a host that the job means by name, or by a label that marks it: no other will do."""


@dataclass(frozen=True)
class Requirement:
    """All that decides which hosts a job may go to. Jobs that ask for the same share one.

    ``reach`` are the paddocks that its sender may send into, and ``let_in`` those whose fence lets its pipeline in;
    None for all. The server's own jobs (``is_internal``) prove a host, and go past fences and reservations.
    """

    terms: tuple[Term, ...] = ()
    slots: int = 1
    reach: frozenset[str] | None = None
    let_in: frozenset[str] | None = None
    is_internal: bool = False

    @cached_property
    def labels(self) -> tuple[LabelTerm, ...]:
        """The labels that it asks for."""
        return tuple({one: None for term in self.terms for one in asked(term) if isinstance(one, LabelTerm)})

    def goes_to_reserved(self, host: Host) -> bool:
        """Whether a reserved host takes it."""
        return self.is_internal or any(label.name in host.labels for label in self.labels)


class Block(StrEnum):
    """What beside its terms keeps a job from a host that it may see."""

    FENCE = "fence"
    RESERVED = "reserved"
    SLOTS = "too few slots"


@dataclass(frozen=True)
class FitRow:
    """One host's verdicts, in the order of the terms, and what else is in the way."""

    host: Host
    verdicts: tuple[Verdict, ...]
    blocks: tuple[Block, ...] = ()

    @property
    def lacks(self) -> int:
        return sum(not verdict.holds for verdict in self.verdicts) + len(self.blocks)

    @property
    def fits(self) -> bool:
        return self.lacks == 0

    @property
    def is_near_fit(self) -> bool:
        """It lacks little, and not all of several things that are asked for."""
        unmet = sum(not verdict.holds for verdict in self.verdicts)
        return 0 < self.lacks <= NEAR_FIT_LACKS and (unmet == 0 or unmet < max(2, len(self.verdicts)))


@dataclass(frozen=True)
class FitSheet:
    """Hosts against terms. Rows are ordered: fits, then by how much they lack, then by name."""

    terms: tuple[Term, ...]
    rows: tuple[FitRow, ...]

    @property
    def fitting(self) -> tuple[FitRow, ...]:
        return tuple(row for row in self.rows if row.fits)


def meant_terms(terms: Sequence[Term], words: FleetWords) -> list[Term]:
    """The terms by which a job means certain machines: a host's name, or a label that marks a few of one kind."""
    return [
        term for term in terms if isinstance(term, HostTerm) or (isinstance(term, LabelTerm) and words.marks(term.name))
    ]


def fit_row(requirement: Requirement, host: Host) -> FitRow:
    """One host against what a job asks for."""
    blocks = []
    if requirement.let_in is not None and host.paddock not in requirement.let_in and not requirement.is_internal:
        blocks.append(Block.FENCE)
    if host.reserved and not requirement.goes_to_reserved(host):
        blocks.append(Block.RESERVED)
    if host.slots < requirement.slots:
        blocks.append(Block.SLOTS)
    return FitRow(host, tuple(verdict(term, host) for term in requirement.terms), tuple(blocks))


def sheet_of(requirement: Requirement, hosts: Collection[Host]) -> FitSheet:
    """The hosts within the sender's reach against what a job asks for."""
    reach = requirement.reach
    rows = [fit_row(requirement, host) for host in hosts if reach is None or host.paddock in reach]
    rows.sort(key=lambda row: (row.lacks, row.host.name))
    return FitSheet(requirement.terms, tuple(rows))


def fit_sheet(terms: Sequence[Term], hosts: Collection[Host]) -> FitSheet:
    """Every host against every term."""
    return sheet_of(Requirement(tuple(terms)), hosts)


class Fitting:
    """A requirement against a fleet, as bits: each step keeps what is left of the one before."""

    def __init__(self, requirement: Requirement, index: FleetIndex) -> None:
        self.requirement = requirement
        self.index = index
        self.inside = index.in_paddocks(requirement.reach) & index.state("there")
        self.admitted = self.inside & index.state("admitted")

    @cached_property
    def meeting(self) -> Bits:
        """Admitted, within reach, and every term holds."""
        return intersection([self.admitted, *(self.index.holds(term) for term in self.requirement.terms)])

    @cached_property
    def let_in(self) -> Bits:
        """Of those, the ones whose fence lets the job in."""
        if self.requirement.is_internal:
            return self.meeting
        return self.meeting & self.index.in_paddocks(self.requirement.let_in)

    @cached_property
    def not_reserved(self) -> Bits:
        """Of those, the ones that are open, or reserved for what it asks for."""
        if self.requirement.is_internal:
            return self.let_in
        reserved = self.index.state("reserved")
        kept = self.let_in & ~reserved
        for label in self.requirement.labels:
            kept |= self.let_in & reserved & self.index.holds(label)
        return kept

    @cached_property
    def fits(self) -> Bits:
        """Of those, the ones that have as many slots: all that fit."""
        if self.requirement.slots == 1:
            return self.not_reserved
        return self.not_reserved & self.index.with_slots(self.requirement.slots)

    @cached_property
    def ready(self) -> Bits:
        """Of those, the ones that are connected and not held."""
        return self.fits & self.index.state("ready")


def binding(terms: Sequence[Term], prefers: Sequence[Term], host: Host) -> tuple[InstalledTool, ...]:
    """The installations that a job gets on a host that fits: for each tool that a term is met by, one that meets a
    preference for that tool too where there is one, else the one that the bare command gets, else the newest."""
    wanted = [one for term in prefers for one in asked(term) if isinstance(one, ToolTerm)]
    bound = [_chosen(one, wanted, host) for term in terms for one in _deciding(term, host)]
    return tuple(dict.fromkeys(one for one in bound if one is not None))


def _deciding(term: Term, host: Host) -> list[ToolTerm]:
    """The tool terms by which a term that holds is met on this host."""
    match term:
        case ToolTerm():
            return [term]
        case AnyOf(terms):
            first = next((one for one in terms if verdict(one, host).holds), None)
            return _deciding(first, host) if first is not None else []
        case AllOf(terms):
            return [tool for one in terms for tool in _deciding(one, host)]
        case KitTerm(_, terms):
            return [tool for one in terms or () for tool in _deciding(one, host)]
    return []


def _chosen(term: ToolTerm, wanted: Sequence[ToolTerm], host: Host) -> InstalledTool | None:
    meeting = meeting_term(term, host)
    for one in wanted:
        if one.name == term.name:
            both = [installation for installation in meeting_term(one, host) if installation in meeting]
            if both:
                return both[0]
    return meeting[0] if meeting else None

"""What would let a job run on a host that nearly fits, each step with its cost; and the near fits, cheapest first."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from .fit import Block, FitRow, Requirement
from .fleet import Host, Readiness
from .fleet_index import FleetIndex, FleetWords
from .terms import (
    AllOf,
    AnyOf,
    DiskTerm,
    EnvTerm,
    GroupTerm,
    HostTerm,
    KitTerm,
    LabelTerm,
    NotTerm,
    PaddockTerm,
    ServiceTerm,
    Term,
    ToolTerm,
)
from .terms.quantities import about_size
from .verdicts import Verdict, closest_label, verdict
from .words import nearest


class RemedyKind(StrEnum):
    """What kind of thing a remedy is. CORRECT changes the job and not the host."""

    SURVEY = "survey"
    START_SERVICE = "start a service"
    RESUME = "resume"
    ADMIT = "admit"
    LET_IN = "let in"
    CORRECT = "correct the job"
    ADD_LABEL = "add a label"
    REMOVE_LABEL = "take a label off"
    WATCH_SERVICE = "have a service watched"
    ADD_SLOTS = "add slots"
    BRING_BACK = "bring back"
    SET_VARIABLE = "set a variable"
    JOIN_GROUP = "put into a group"
    CLEAR_DISK = "clear a disk"
    INSTALL_LIKE = "install as elsewhere"
    INSTALL = "install"
    NEW_HOST = "bring in a host"


COSTS = {
    RemedyKind.SURVEY: 1,
    RemedyKind.START_SERVICE: 1,
    RemedyKind.RESUME: 2,
    RemedyKind.ADMIT: 2,
    RemedyKind.LET_IN: 2,
    RemedyKind.CORRECT: 3,
    RemedyKind.ADD_LABEL: 4,
    RemedyKind.REMOVE_LABEL: 4,
    RemedyKind.WATCH_SERVICE: 4,
    RemedyKind.ADD_SLOTS: 4,
    RemedyKind.BRING_BACK: 5,
    RemedyKind.SET_VARIABLE: 6,
    RemedyKind.JOIN_GROUP: 6,
    RemedyKind.CLEAR_DISK: 6,
    RemedyKind.INSTALL_LIKE: 8,
    RemedyKind.INSTALL: 12,
    RemedyKind.NEW_HOST: 40,
}
"""What each costs a person, against the others: from one click to a new machine."""


@dataclass(frozen=True)
class Remedy:
    """One step. ``place`` is the host, or the paddock of a fence, or "" for the job; ``what`` is the service, label,
    tool, pipeline or canonical term it is about; for CORRECT, ``instead`` is the term to write."""

    kind: RemedyKind
    place: str
    what: str
    said: str
    instead: str = ""

    @property
    def cost(self) -> int:
        return COSTS[self.kind]


@dataclass(frozen=True)
class NearFit:
    """A host and all that would let the job run there."""

    host: str
    remedies: tuple[Remedy, ...]

    @property
    def cost(self) -> int:
        return sum(remedy.cost for remedy in self.remedies)

    @property
    def said(self) -> str:
        return "; ".join(remedy.said for remedy in self.remedies)


class Remedies:
    """What would help one pipeline's requirement, host by host."""

    def __init__(self, requirement: Requirement, index: FleetIndex, pipeline: str = "") -> None:
        self._requirement = requirement
        self._index = index
        self._pipeline = pipeline
        self._words = index.words(requirement.reach)
        self._like: dict[tuple[Term, str], str] = {}

    def of(self, row: FitRow) -> tuple[Remedy, ...]:
        """All that this host needs, cheapest first; () where nothing does, or where it could take the job already."""
        found: dict[Remedy, None] = {}
        for term, held in zip(self._requirement.terms, row.verdicts, strict=True):
            if held.holds:
                continue
            steps = self._for_term(term, row.host, held)
            if steps is None:
                return ()
            found.update(dict.fromkeys(steps))
        found.update(dict.fromkeys(self._for_block(block, row.host) for block in row.blocks))
        found.update(dict.fromkeys(_for_readiness(row.host)))
        return tuple(sorted(found, key=lambda one: one.cost))

    def near_fits(self, rows: Iterable[FitRow]) -> list[NearFit]:
        """Those that could be mended, the cheapest first: hosts that fit but cannot take jobs, and near fits."""
        near = []
        for row in rows:
            if (row.is_near_fit or (row.fits and not row.host.is_ready)) and (steps := self.of(row)):
                near.append((NearFit(row.host.name, steps), row.host.slots))
        # Of equals, the larger host: what is missing there is less.
        return [one for one, _ in sorted(near, key=lambda pair: (pair[0].cost, -pair[1], pair[0].host))]

    def _for_term(self, term: Term, host: Host, held: Verdict) -> Sequence[Remedy] | None:
        """The steps after which a term holds; None where there are none."""
        if not held.known and not host.surveyed and not isinstance(term, ServiceTerm):
            return [Remedy(RemedyKind.SURVEY, host.name, "", f"survey {host.name}")]
        match term:
            case LabelTerm():
                return self._for_label(term, host, held)
            case ServiceTerm(name) if held.known:
                return [Remedy(RemedyKind.START_SERVICE, host.name, name, f"start {name} on {host.name}")]
            case ServiceTerm(name):
                return [Remedy(RemedyKind.WATCH_SERVICE, host.name, name, f"have {name} watched on {host.name}")]
            case ToolTerm():
                return self._for_tool(term, host)
            case EnvTerm(name, value):
                to = "" if value is None else f" to {value}"
                said = f"set {name}{to} for the agent's account on {host.name}, and restart the agent"
                return [Remedy(RemedyKind.SET_VARIABLE, host.name, name, said)]
            case GroupTerm(name):
                said = f"put the agent's account on {host.name} into the group {name}, and restart the agent"
                return [Remedy(RemedyKind.JOIN_GROUP, host.name, name, said)]
            case DiskTerm(least) if host.disk_free is not None and least <= host.disk_total:
                short = about_size(least - host.disk_free)
                return [Remedy(RemedyKind.CLEAR_DISK, host.name, short, f"clear {short} on {host.name}")]
            case NotTerm(LabelTerm(name)):
                return [Remedy(RemedyKind.REMOVE_LABEL, host.name, name, f"take the label {name} off {host.name}")]
            case AnyOf(terms):
                ways = [self._for_term(one, host, verdict(one, host)) for one in terms]
                possible = [_inside(term, one, way) for one, way in zip(terms, ways, strict=True) if way is not None]
                return min(possible, key=lambda way: sum(one.cost for one in way), default=None)
            case AllOf(terms) | KitTerm(_, tuple(terms)):
                lacking = [(one, found) for one in terms if not (found := verdict(one, host)).holds]
                ways = [self._for_term(one, host, found) for one, found in lacking]
                if len(ways) > 2 or any(way is None for way in ways):
                    return None
                return [one for way in ways for one in way or ()]
            case HostTerm() | PaddockTerm() | KitTerm():
                return self._corrected(term, self._meant(term))
        return None

    def _for_label(self, term: LabelTerm, host: Host, held: Verdict) -> list[Remedy]:
        if held.found:
            return self._corrected(term, held.found) or []
        meant = self._meant(term) if term.name not in self._words.labels else ""
        if meant and meant in host.labels:
            return self._corrected(term, meant) or []
        name = meant or term.name
        steps = [Remedy(RemedyKind.ADD_LABEL, host.name, name, f"add the label {name} to {host.name}")]
        return [*(self._corrected(term, meant) or []), *steps]

    def _for_tool(self, term: ToolTerm, host: Host) -> list[Remedy]:
        if term.name not in self._words.tools and (meant := nearest(term.name, self._words.tools)):
            corrected = ToolTerm(meant, term.range)
            if verdict(corrected, host).holds:
                return [_correct(term, corrected)]
        wanted = str(term).removeprefix("tool ")
        if like := self._host_like(term, host.os):
            said = f"install {wanted} on {host.name} (as on {like})"
            return [Remedy(RemedyKind.INSTALL_LIKE, host.name, wanted, said)]
        return [Remedy(RemedyKind.INSTALL, host.name, wanted, f"install {wanted} on {host.name}")]

    def _for_block(self, block: Block, host: Host) -> Remedy:
        match block:
            case Block.FENCE:
                who = self._pipeline or "the pipeline"
                return Remedy(RemedyKind.LET_IN, host.paddock, self._pipeline, f"let {who} into {host.paddock}")
            case Block.RESERVED:
                label = min(host.labels, default="")
                if not label:
                    return Remedy(
                        RemedyKind.ADD_LABEL, host.name, "", f"open {host.name}, or give it a label to ask for"
                    )
                return Remedy(RemedyKind.CORRECT, "", "", f"mend the job: add `label {label}`", f"label {label}")
            case Block.SLOTS:
                slots = self._requirement.slots
                said = f"give {host.name} {slots} slots (it has {host.slots})"
                return Remedy(RemedyKind.ADD_SLOTS, host.name, str(slots), said)

    def _host_like(self, term: ToolTerm, os: str) -> str:
        """A host of the same system on which the term holds; "" for none."""
        key = (term, os)
        if key not in self._like:
            having = self._index.hosts_in(self._index.holds(term) & self._index.in_paddocks(self._requirement.reach))
            self._like[key] = min((host.name for host in having if host.os == os), default="")
        return self._like[key]

    def _meant(self, term: Term) -> str:
        return meant_name(term, self._words)

    @staticmethod
    def _corrected(term: Term, meant: str) -> list[Remedy] | None:
        if not meant:
            return None
        match term:
            case LabelTerm():
                return [_correct(term, LabelTerm(meant))]
            case HostTerm():
                return [_correct(term, HostTerm(meant))]
            case PaddockTerm():
                return [_correct(term, PaddockTerm(meant))]
        return None


def meant_name(term: Term, words: FleetWords) -> str:
    """The known name that is nearest to the one in the term, "" where the name itself is known or none is near."""
    match term:
        case LabelTerm(name):
            return "" if name in words.labels else closest_label(name, frozenset(words.labels))
        case HostTerm(name):
            known = [one.lower() for one in words.hosts]
        case PaddockTerm(name):
            known = [one.lower() for one in words.paddocks]
        case ToolTerm(name):
            known = list(words.tools)
        case ServiceTerm(name):
            known = list(words.services)
        case _:
            return ""
    return "" if name in known else nearest(name, known) or ""


def _inside(outer: AnyOf, inner: Term, way: Sequence[Remedy]) -> list[Remedy]:
    """The same steps, where correcting ``inner`` means to write the whole ``any of`` again: that is the job's line."""
    found = []
    for step in way:
        if step.kind is RemedyKind.CORRECT and step.instead:
            parts = [step.instead if one == inner else str(one) for one in outer.terms]
            written = f"any of {' or '.join(parts)}"
            step = Remedy(RemedyKind.CORRECT, "", str(outer), f"mend the job: `{written}`", written)
        found.append(step)
    return found


def _correct(term: Term, corrected: Term) -> Remedy:
    return Remedy(RemedyKind.CORRECT, "", str(term), f"mend the job: `{corrected}`", str(corrected))


def _for_readiness(host: Host) -> list[Remedy]:
    away = "not connected" if host.readiness is Readiness.AT_THE_GATE else host.readiness
    back = Remedy(RemedyKind.BRING_BACK, host.name, "", f"bring {host.name} back: it is {away}")
    match host.readiness:
        case Readiness.HELD | Readiness.DRAINING:
            held = f" ({host.held})" if host.held else ""
            return [Remedy(RemedyKind.RESUME, host.name, "", f"resume {host.name}{held}")]
        case Readiness.AT_THE_GATE:
            admit = Remedy(RemedyKind.ADMIT, host.name, "", f"admit {host.name}")
            return [admit] if host.connected else [admit, back]
        case Readiness.STOPPED | Readiness.LOST | Readiness.NEVER_SEEN:
            return [back]
        case Readiness.UNABLE:
            return [
                Remedy(RemedyKind.BRING_BACK, host.name, "", f"repair {host.name}: {host.unable or 'it cannot work'}")
            ]
    return []

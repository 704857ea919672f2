"""What would let a job run on a host that nearly fits, each step with its cost; and the near fits, cheapest first."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from .errors import ContradictionError
from .fit import MARKED_LACKS, NEAR_FIT_LACKS, Block, FitRow, Requirement, meant_terms
from .fleet import Host, Readiness
from .fleet_index import FleetIndex, FleetWords
from .spelling import nearest
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
    parse_asked,
)
from .units import disk_size
from .verdicts import Verdict, closest_label, verdict


class RemedyKind(StrEnum):
    """What kind of thing a remedy is. CORRECT changes the job and not the host."""

    SURVEY = "survey"
    START_SERVICE = "start a service"
    WAKE = "wake"
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
    MEND_TOOL = "mend a tool"
    INSTALL = "install"
    NEW_HOST = "bring in a host"


COSTS = {
    RemedyKind.SURVEY: 1,
    RemedyKind.START_SERVICE: 1,
    RemedyKind.WAKE: 1,
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
    RemedyKind.MEND_TOOL: 7,
    RemedyKind.INSTALL: 12,
    RemedyKind.NEW_HOST: 40,
}
"""What each costs a person, against the others: from one click to a new machine."""
LABEL_OF_OTHERS, LABEL_OF_FEW = 5, 60
"""What it costs more to add a label that other hosts have: there it says something that may not be true here. One that
marks a few machines of a kind is worth more than mending one of these."""


@dataclass(frozen=True)
class FitRemedy:
    """One step. ``place`` is the host, or the paddock of a fence, or "" for the job; ``what`` is the service, label,
    tool, pipeline or canonical term it is about; for CORRECT, ``instead`` is the term to write. ``extra`` is what it
    costs beyond others of its kind."""

    kind: RemedyKind
    place: str
    what: str
    text: str
    instead: str = ""
    extra: int = 0

    @property
    def cost(self) -> int:
        return COSTS[self.kind] + self.extra


@dataclass(frozen=True)
class NearFit:
    """A host and all that would let the job run there."""

    host: str
    remedies: tuple[FitRemedy, ...]

    @property
    def cost(self) -> int:
        return sum(remedy.cost for remedy in self.remedies)

    @property
    def text(self) -> str:
        return "; ".join(remedy.text for remedy in self.remedies)


class Remedies:
    """What would help one pipeline's requirement, host by host. ``service_of`` gives the name of the agent's service on
    a host, "" where it is not known."""

    def __init__(
        self,
        requirement: Requirement,
        index: FleetIndex,
        pipeline: str = "",
        service_of: Callable[[str], str] = lambda host: "",
    ) -> None:
        self._service_of = service_of
        self._requirement = requirement
        self._index = index
        self._pipeline = pipeline
        self._words = index.words(requirement.reach)
        self._spelt = tuple(self._meant(term) or term for term in requirement.terms)
        self._meant_terms = meant_terms(self._spelt, self._words)
        self._like: dict[tuple[Term, str], str] = {}

    def of(self, row: FitRow) -> tuple[FitRemedy, ...]:
        """All that this host needs, cheapest first; () where nothing does, or where it could take the job already."""
        found: dict[FitRemedy, None] = {}
        for term, held in zip(self._requirement.terms, row.verdicts, strict=True):
            if held.holds:
                continue
            steps = self._for_term(term, row.host, held)
            if steps is None or any(self._contradicts(term, step) for step in steps):
                return ()
            found.update(dict.fromkeys(steps))
        written = {step.instead for step in found}
        for block in row.blocks:
            if block is not Block.RESERVED or written.isdisjoint(f"label {label}" for label in row.host.labels):
                step = self._for_block(block, row.host)
                if step is None:
                    return ()
                found[step] = None
        found.update(dict.fromkeys(_for_readiness(row.host)))
        return tuple(sorted(found, key=lambda one: one.cost))

    def _contradicts(self, term: Term, step: FitRemedy) -> bool:
        """Whether the corrected term could not be met together with the job's other terms."""
        if step.kind is not RemedyKind.CORRECT or not step.instead:
            return False
        others = [str(other) for other in self._requirement.terms if other != term]
        try:
            parse_asked([*others, step.instead])
        except ContradictionError:
            return True
        return False

    def near_fits(self, rows: Iterable[FitRow]) -> list[NearFit]:
        """Those that could be mended, the cheapest first: hosts that fit but cannot take jobs, and near fits."""
        near = []
        for row in rows:
            if self._is_near_enough(row) and (steps := self.of(row)):
                near.append((NearFit(row.host.name, steps), row.host.slots))
        # Of equals, the larger host: what is missing there is less.
        return [one for one, _ in sorted(near, key=lambda pair: (pair[0].cost, -pair[1], pair[0].host))]

    def _is_near_enough(self, row: FitRow) -> bool:
        """Uses the corrected terms: a misspelt word is not something that the host lacks."""
        if row.fits:
            return not row.host.is_ready
        spelt = FitRow(row.host, tuple(verdict(term, row.host) for term in self._spelt), row.blocks)
        is_meant = spelt.lacks <= MARKED_LACKS and any(verdict(term, row.host).holds for term in self._meant_terms)
        return row.is_near_fit or spelt.fits or spelt.is_near_fit or is_meant

    def _for_term(self, term: Term, host: Host, held: Verdict) -> Sequence[FitRemedy] | None:
        """The steps after which a term holds; None where there are none."""
        if corrected := self._meant(term, held):
            rest = self._for_term(corrected, host, now) if not (now := verdict(corrected, host)).holds else []
            return None if rest is None else [_correct(term, corrected), *rest]
        if not held.known and not host.surveyed and not isinstance(term, ServiceTerm):
            return [FitRemedy(RemedyKind.SURVEY, host.name, "", f"survey {host.name}")]
        match term:
            case LabelTerm():
                text = f"add the label {term.name} to {host.name}"
                extra = LABEL_OF_OTHERS if self._index.holds(term).any() else 0
                extra = LABEL_OF_FEW if self._words.marks(term.name) else extra
                return [FitRemedy(RemedyKind.ADD_LABEL, host.name, term.name, text, extra=extra)]
            case ServiceTerm(name) if held.known:
                return [FitRemedy(RemedyKind.START_SERVICE, host.name, name, f"start {name} on {host.name}")]
            case ServiceTerm(name):
                return [FitRemedy(RemedyKind.WATCH_SERVICE, host.name, name, f"watch {name} on {host.name}")]
            case ToolTerm():
                return self._for_tool(term, host)
            case EnvTerm(name, value):
                to = "" if value is None else f" to {value}"
                service = self._service_of(host.name)
                place = f"in {environment_place(host.os, service)}" if service else "for the agent's account"
                text = f"set {name}{to} {place} on {host.name}, and restart the agent"
                return [FitRemedy(RemedyKind.SET_VARIABLE, host.name, name, text)]
            case GroupTerm(name):
                text = f"put the agent's account on {host.name} into the group {name}, and restart the agent"
                return [FitRemedy(RemedyKind.JOIN_GROUP, host.name, name, text)]
            case DiskTerm(least) if host.disk_free is not None and least <= host.disk_total:
                short = disk_size(least - host.disk_free)
                return [FitRemedy(RemedyKind.CLEAR_DISK, host.name, short, f"free {short} on {host.name}")]
            case NotTerm(LabelTerm(name)):
                return [
                    FitRemedy(RemedyKind.REMOVE_LABEL, host.name, name, f"remove the label {name} from {host.name}")
                ]
            case AnyOf(terms):
                ways = [self._for_term(one, host, verdict(one, host)) for one in terms]
                possible = [_inside(term, one, way) for one, way in zip(terms, ways, strict=True) if way is not None]
                return min(possible, key=lambda way: sum(one.cost for one in way), default=None)
            case AllOf(terms) | KitTerm(_, tuple(terms)):
                lacking = [(one, found) for one in terms if not (found := verdict(one, host)).holds]
                ways = [self._for_term(one, host, found) for one, found in lacking]
                most = MARKED_LACKS if any(verdict(one, host).holds for one in self._meant_terms) else NEAR_FIT_LACKS
                if len(ways) > most or any(way is None for way in ways):
                    return None
                return [one for way in ways for one in way or ()]
        return None

    def _for_tool(self, term: ToolTerm, host: Host) -> list[FitRemedy] | None:
        if self._words.catalogue and term.name not in self._words.catalogue | self._words.tools.keys():
            return None
        if term.name in host.broken and term.range is None:
            text = f"repair {term.name} on {host.name}: {host.broken[term.name]}"
            return [FitRemedy(RemedyKind.MEND_TOOL, host.name, term.name, text)]
        wanted = str(term).removeprefix("tool ")
        if like := self._host_like(term, host.os):
            text = f"install {wanted} on {host.name} (as on {like})"
            return [FitRemedy(RemedyKind.INSTALL_LIKE, host.name, wanted, text)]
        return [FitRemedy(RemedyKind.INSTALL, host.name, wanted, f"install {wanted} on {host.name}")]

    def _for_block(self, block: Block, host: Host) -> FitRemedy | None:
        match block:
            case Block.FENCE:
                who = self._pipeline or "the pipeline"
                return FitRemedy(RemedyKind.LET_IN, host.paddock, self._pipeline, f"let {who} into {host.paddock}")
            case Block.RESERVED:
                if not host.labels:
                    return FitRemedy(
                        RemedyKind.ADD_LABEL,
                        host.name,
                        "",
                        f"open {host.name}, or give it a label that jobs can ask for",
                    )
                refused = {term.term for term in self._requirement.terms if isinstance(term, NotTerm)}
                label = min((label for label in host.labels if LabelTerm(label) not in refused), default="")
                if not label:
                    return None
                return FitRemedy(RemedyKind.CORRECT, "", "", f"correct the job: add `label {label}`", f"label {label}")
            case Block.SLOTS:
                slots = self._requirement.slots
                text = f"give {host.name} {slots} slots (it has {host.slots})"
                return FitRemedy(RemedyKind.ADD_SLOTS, host.name, str(slots), text)

    def _host_like(self, term: ToolTerm, os: str) -> str:
        """A host of the same system on which the term holds; "" for none."""
        key = (term, os)
        if key not in self._like:
            having = self._index.hosts_in(self._index.holds(term) & self._index.in_paddocks(self._requirement.reach))
            self._like[key] = min((host.name for host in having if host.os == os), default="")
        return self._like[key]

    def _meant(self, term: Term, held: Verdict | None = None) -> Term | None:
        """The term with the name that was probably meant: one of the fleet's, or of a label the one that is here."""
        match term:
            case LabelTerm() if held and held.found:
                return LabelTerm(held.found)
            case KitTerm():
                return term.nearest
            case LabelTerm() | HostTerm() | PaddockTerm() | ToolTerm() | ServiceTerm():
                return replace(term, name=name) if (name := meant_name(term, self._words)) else None
        return None


def environment_place(family: str, service: str) -> str:
    """Where the variables of the agent's service are set on its host."""
    match family:
        case "macos":
            return f"EnvironmentVariables of /Library/LaunchDaemons/{service}.plist"
        case "windows":
            return rf"the value Environment of HKLM\SYSTEM\CurrentControlSet\Services\{service}"
        case _:
            return f"/etc/paddock-agent/{service.removesuffix('.service')}.env"


def meant_name(term: Term, words: FleetWords) -> str:
    """The known name that is nearest to the one in the term, "" where the name itself is known or none is near."""
    match term:
        case LabelTerm(name):
            return "" if name in words.labels else closest_label(name, frozenset(words.labels))
        case HostTerm(name):
            known = [*(name.lower() for name in words.hosts), *words.at_gate]
        case PaddockTerm(name):
            known = [one.lower() for one in words.paddocks]
        case ToolTerm(name):
            known = [*words.tools, *words.broken, *words.catalogue]
        case ServiceTerm(name):
            known = list(words.services)
        case KitTerm():
            return term.nearest.name if term.nearest else ""
        case _:
            return ""
    return "" if name in known else nearest(name, known) or ""


def _inside(outer: AnyOf, inner: Term, way: Sequence[FitRemedy]) -> list[FitRemedy]:
    """The same steps, where correcting ``inner`` means to write the whole ``any of`` again: that is the job's line."""
    found = []
    for step in way:
        if step.kind is RemedyKind.CORRECT and step.instead:
            parts = [step.instead if one == inner else str(one) for one in outer.terms]
            written = f"any of {' or '.join(parts)}"
            step = FitRemedy(RemedyKind.CORRECT, "", str(outer), f"correct the job: `{written}`", written)
        found.append(step)
    return found


def _correct(term: Term, corrected: Term) -> FitRemedy:
    return FitRemedy(RemedyKind.CORRECT, "", str(term), f"correct the job: `{corrected}`", str(corrected))


def _for_readiness(host: Host) -> list[FitRemedy]:
    away = "not connected" if host.readiness is Readiness.AT_THE_GATE else host.readiness
    back = FitRemedy(RemedyKind.BRING_BACK, host.name, "", f"bring {host.name} back: it is {away}")
    match host.readiness:
        case Readiness.HELD | Readiness.DRAINING:
            held = f" ({host.held})" if host.held else ""
            return [FitRemedy(RemedyKind.RESUME, host.name, "", f"resume {host.name}{held}")]
        case Readiness.AT_THE_GATE:
            admit = FitRemedy(RemedyKind.ADMIT, host.name, "", f"admit {host.name}")
            return [admit] if host.connected else [admit, back]
        case Readiness.STOPPED | Readiness.LOST | Readiness.NEVER_SEEN:
            return [back]
        case Readiness.ASLEEP:
            return [FitRemedy(RemedyKind.WAKE, host.name, "", f"wake {host.name}")]
        case Readiness.UNABLE:
            return [
                FitRemedy(
                    RemedyKind.BRING_BACK, host.name, "", f"repair {host.name}: {host.unable or 'it cannot work'}"
                )
            ]
    return []

"""Why a job waits, in a sentence; what would make a near fit fit; and the funnel from all hosts down to none."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from .fit import NOT_WATCHED, FitRow, FitSheet, closest_label
from .fleet import Host, Readiness
from .terms import HostTerm, LabelTerm, ServiceTerm, Term, ToolTerm
from .words import nearest


class ReasonKind(StrEnum):
    """What sort of thing a job waits for; the board groups by it."""

    NO_HOSTS = "no hosts"
    NO_FIT = "no host fits"
    NOT_READY = "those that fit cannot take jobs"
    BUSY = "all that fit are busy"
    NEXT = "about to be offered"


@dataclass(frozen=True)
class Reason:
    """Why a job waits. ``term`` is the position of the term that no host meets, where it is one term's fault;
    ``nearest`` is the word that was probably meant."""

    kind: ReasonKind
    sentence: str
    term: int | None = None
    nearest: str | None = None


@dataclass(frozen=True)
class FunnelStep:
    """One step of the funnel: how many hosts are left after it. ``term`` is set on the steps that are terms."""

    name: str
    left: int
    term: int | None = None


def why_waiting(sheet: FitSheet) -> Reason:
    """The reason, for a job whose terms gave ``sheet``. Only admitted hosts count."""
    rows = [row for row in sheet.rows if row.host.is_admitted]
    if not rows:
        at_gate = sum(not row.host.is_admitted for row in sheet.rows)
        rest = f"; {count(at_gate, 'host')} at the gate" if at_gate else ""
        return Reason(ReasonKind.NO_HOSTS, f"No host has been admitted yet{rest}.")
    fitting = [row for row in rows if row.fits]
    if not fitting:
        outside = [row for row in sheet.fitting if not row.host.is_admitted]
        return _no_fit(sheet.terms, rows, _still_open(rows, outside))
    states = Counter(row.host.readiness for row in fitting)
    who = count(len(fitting), "host")
    if states[Readiness.FREE]:
        return Reason(ReasonKind.NEXT, f"{who} {verb(len(fitting), 'fits', 'fit')} and a slot is free: it is next.")
    others = [f"{number} {state}" for state, number in sorted(states.items()) if state is not Readiness.BUSY]
    if states[Readiness.BUSY]:
        rest = f" ({', '.join(others)} besides)" if others else ""
        busy = states[Readiness.BUSY]
        subject = (
            "The only host that fits is" if len(fitting) == 1 else f"All {busy} hosts that fit and can take jobs are"
        )
        return Reason(ReasonKind.BUSY, f"{subject} busy: every slot is taken{rest}.")
    named = ", ".join(f"{row.host.name} is {row.host.readiness}" for row in fitting[:3])
    more = f" and {len(fitting) - 3} more" if len(fitting) > 3 else ""
    return Reason(
        ReasonKind.NOT_READY, f"{who} {verb(len(fitting), 'fits', 'fit')}, but none can take jobs: {named}{more}."
    )


def _still_open(rows: Sequence[FitRow], at_gate: Sequence[FitRow]) -> str:
    """What may change by itself, or by a click: a host at the gate, or one whose tools are not known yet."""
    said = f" {at_gate[0].host.name} would fit, but stands at the gate." if at_gate else ""
    unknown = [row.host.name for row in rows if not row.host.surveyed]
    if unknown:
        said += f" {unknown[0]} has not been surveyed yet" + (f", nor {len(unknown) - 1} more." if unknown[1:] else ".")
    return said


def _no_fit(terms: Sequence[Term], rows: Sequence[FitRow], waiting: str) -> Reason:
    unmet = [i for i in range(len(terms)) if not any(row.verdicts[i].holds for row in rows)]
    if not unmet:
        best = min(rows, key=lambda row: (row.lacks, row.host.name))
        lacking = [f"`{term}`" for term, verdict in zip(terms, best.verdicts, strict=True) if not verdict.holds]
        return Reason(
            ReasonKind.NO_FIT,
            f"Each term is met somewhere, but no host meets all of them: {best.host.name} comes nearest and lacks "
            f"{' and '.join(lacking)}.{waiting}",
        )
    said = [_unmet(terms[i], rows) for i in unmet]
    sentence = " ".join(sentence for sentence, _ in said[:3])
    more = (
        f" {count(len(said) - 3, 'more term')} {verb(len(said) - 3, 'is', 'are')} met nowhere." if len(said) > 3 else ""
    )
    return Reason(ReasonKind.NO_FIT, sentence + more + waiting, unmet[0], said[0][1])


def _unmet(term: Term, rows: Sequence[FitRow]) -> tuple[str, str | None]:
    """A sentence on a term that none of the hosts meets, and the word that was probably meant."""
    hosts = [row.host for row in rows]
    match term:
        case LabelTerm():
            having = Counter(label for host in hosts for label in host.labels)
            close = nearest(term.name, having)
            return f'No host has the label "{term.name}".' + _did_you_mean(close, having), close
        case HostTerm():
            close = nearest(term.name, [host.name.lower() for host in hosts])
            return f'There is no host called "{term.name}".' + (f' Did you mean "{close}"?' if close else ""), close
        case ToolTerm():
            having = Counter(tool for host in hosts for tool in {one.tool for one in host.installations})
            if term.name not in having:
                close = nearest(term.name, having)
                return f'No host has the tool "{term.name}".' + _did_you_mean(close, having), close
            return f"No host has {term.name} {term.range}: there {_versions_there(term.name, hosts)}.", None
        case ServiceTerm():
            having = Counter(service for host in hosts for service in host.services)
            if term.name not in having:
                close = nearest(term.name, having)
                return f'The service "{term.name}" is watched on no host.' + _did_you_mean(close, having), close
            states = Counter(host.services[term.name] for host in hosts if term.name in host.services)
            there = ", ".join(f"{state} on {count(number, 'host')}" for state, number in states.most_common(4))
            return f"The service {term.name} runs on no host: it is {there}.", None
    having = Counter(f"{host.os} {host.os_version}".strip() for host in hosts)
    there = ", ".join(f"{name} ({number})" for name, number in having.most_common(4))
    return f"No host meets `{term}`: there is {there}.", None


def _did_you_mean(close: str | None, having: Counter[str]) -> str:
    return f' Did you mean "{close}" ({count(having[close], "host")})?' if close else ""


def _versions_there(tool: str, hosts: Sequence[Host]) -> str:
    newest = [(host.installed(tool)[0], host) for host in hosts if host.installed(tool)]
    spread = Counter(one.version for one, _ in newest)
    listed = ", ".join(f"{version} on {count(number, 'host')}" for version, number in spread.most_common(4))
    more = f" and {len(spread) - 4} other versions" if len(spread) > 4 else ""
    return f"is {listed}{more}"


class Remedies:
    """What would make near fits fit, in words. Looks once over the whole sheet, then answers for each row."""

    def __init__(self, sheet: FitSheet) -> None:
        self._terms = sheet.terms
        self._labels = {label for row in sheet.rows for label in row.host.labels}
        self._like: dict[tuple[int, str], str] = {}
        for row in sheet.rows:
            for i, verdict in enumerate(row.verdicts):
                if verdict.holds:
                    self._like.setdefault((i, row.host.os), row.host.name)

    def of(self, row: FitRow) -> str:
        """The remedy for this row; "" for a host that fits, lacks too much, or cannot be mended."""
        if not row.is_near_fit:
            return ""
        said = []
        for i, (term, verdict) in enumerate(zip(self._terms, row.verdicts, strict=True)):
            if verdict.holds:
                continue
            match term:
                case LabelTerm() if verdict.found:
                    said.append(f"mend the job: label {verdict.found}")
                case LabelTerm():
                    meant = self._meant(term.name)
                    mend = f"mend the job: label {meant}, and " if meant != term.name else ""
                    said.append(f"{mend}add the label {meant} to {row.host.name}")
                case ToolTerm():
                    like = self._like.get((i, row.host.os))
                    wanted = f"install {term.name} {term.range or ''}".strip()
                    said.append(wanted + (f" (as on {like})" if like else ""))
                case ServiceTerm() if verdict.found != NOT_WATCHED:
                    said.append(f"start {term.name} on {row.host.name}")
                case ServiceTerm():
                    said.append(f"have {term.name} watched on {row.host.name}")
                case _:
                    return ""
        return "; ".join(said)

    def _meant(self, label: str) -> str:
        """The label itself if some host has it, else the nearest that one has, else the label itself."""
        return label if label in self._labels else closest_label(label, frozenset(self._labels)) or label


def funnel(sheet: FitSheet) -> tuple[FunnelStep, ...]:
    """From all hosts to those that could take the job now: each step keeps what is left of the one before."""
    left = list(sheet.rows)
    steps = [FunnelStep("all hosts", len(left))]
    left = [row for row in left if row.host.is_admitted]
    steps.append(FunnelStep("admitted", len(left)))
    for i, term in enumerate(sheet.terms):
        left = [row for row in left if row.verdicts[i].holds]
        steps.append(FunnelStep(str(term), len(left), i))
    left = [row for row in left if row.host.readiness in (Readiness.FREE, Readiness.BUSY)]
    steps.append(FunnelStep("connected, not held", len(left)))
    left = [row for row in left if row.host.readiness is Readiness.FREE]
    steps.append(FunnelStep("slot free", len(left)))
    return tuple(steps)


def count(number: int, noun: str) -> str:
    """``count(1, "host")`` -> ``"1 host"``; ``count(2, "host")`` -> ``"2 hosts"``."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def verb(number: int, one: str, many: str) -> str:
    """The form of the verb that goes with ``number``."""
    return one if number == 1 else many

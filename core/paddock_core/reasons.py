"""Why a job waits, in a sentence; and the funnel from all hosts down to none."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from .fit import Fitting, Requirement
from .fleet import Host, Readiness
from .fleet_index import Bits, FleetIndex, FleetWords, unpacked
from .fleet_index import count as count_bits
from .remedies import meant_name
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
from .terms.registry import FIXED
from .units import disk_size, memory_size
from .verdicts import verdict as verdict_on


class ReasonKind(StrEnum):
    """What sort of thing a job waits for; the board groups by it."""

    NO_HOSTS = "no hosts"
    NO_FIT = "no host fits"
    NOT_LET_IN = "not allowed into this paddock"
    RESERVED = "those that fit are reserved"
    TOO_MANY_SLOTS = "no host has so many slots"
    NOT_READY = "those that fit cannot take jobs"
    WAKING = "a host is being woken"
    BUSY = "all that fit are busy"
    MORE_SLOTS = "waits for more slots on one host"
    AFTER = "waits for another job"
    NEXT = "about to be offered"


@dataclass(frozen=True)
class Reason:
    """Why a job waits. ``term`` is the position of the term that no host meets, where it is one term's fault;
    ``nearest`` is the word that was probably meant. ``places`` are the paddocks that do not let it in, or the host that
    is kept for it."""

    kind: ReasonKind
    sentence: str
    term: int | None = None
    nearest: str | None = None
    places: tuple[str, ...] = ()


@dataclass(frozen=True)
class FunnelStep:
    """One step of the funnel: how many hosts are left after it. ``term`` is set on the steps that are terms."""

    name: str
    left: int
    term: int | None = None


def why_waiting(requirement: Requirement, index: FleetIndex, taken: Bits | None = None) -> Reason:
    """The reason of a job that asks for this. The hosts in ``taken`` have no slot left, whatever the index says."""
    fitting = Fitting(requirement, index)
    if not fitting.admitted.any():
        at_gate = count_bits(fitting.inside)
        rest = f"; {count(at_gate, 'host')} at the gate" if at_gate else ""
        return Reason(ReasonKind.NO_HOSTS, f"No host has been admitted yet{rest}.")
    if not fitting.meeting.any():
        return _no_fit(fitting)
    if not fitting.let_in.any():
        return _not_let_in(fitting)
    if not fitting.not_reserved.any():
        return _reserved(fitting)
    if not fitting.fits.any():
        most = max(host.slots for host in index.hosts_in(fitting.not_reserved))
        return Reason(
            ReasonKind.TOO_MANY_SLOTS,
            f"It asks for {requirement.slots} slots, and none of the hosts that fit has more than {most}.",
        )
    return _not_now(fitting, taken)


def _not_now(fitting: Fitting, taken: Bits | None) -> Reason:
    """Hosts fit, but none can take the job at this moment."""
    index, fits = fitting.index, fitting.fits
    number = count_bits(fits)
    who = count(number, "host")
    free = fits & index.state(Readiness.FREE)
    busy = fits & index.state(Readiness.BUSY)
    if taken is not None:
        free, busy = free & ~taken, busy | (free & taken)
    slots = fitting.requirement.slots
    if free.any() and (slots == 1 or any(host.free_slots >= slots for host in index.hosts_in(free))):
        return Reason(ReasonKind.NEXT, f"{who} {verb(number, 'fits', 'fit')} and a slot is free: it is next.")
    if slots > 1 and (free.any() or busy.any()):
        best = max(index.hosts_in(free | busy), key=lambda host: (host.free_slots, host.name))
        return Reason(
            ReasonKind.MORE_SLOTS,
            f"It asks for {slots} slots on one host: {best.name} has {best.free_slots} of {best.slots} free.",
        )
    busy_number = count_bits(busy)
    if (waking := fits & index.state(Readiness.WAKING)).any():
        return _waking(index.hosts_in(waking))
    states = {
        one: count_bits(fits & index.state(one)) for one in Readiness if one not in (Readiness.FREE, Readiness.BUSY)
    }
    others = [f"{number} {state}" for state, number in sorted(states.items()) if number]
    if busy_number:
        rest = f" ({', '.join(others)} besides)" if others else ""
        subject = (
            "The only host that fits is" if number == 1 else f"All {busy_number} hosts that fit and can take jobs are"
        )
        if number > 1 and busy_number == 1:
            subject = "The only host that fits and can take jobs is"
        return Reason(ReasonKind.BUSY, f"{subject} busy: every slot is taken{rest}.")
    there = sorted(index.hosts_in(fits), key=lambda host: host.name)
    named = ", ".join(f"{host.name} is {host.readiness}{_by(host)}" for host in there[:3])
    more = f" and {len(there) - 3} more" if len(there) > 3 else ""
    return Reason(ReasonKind.NOT_READY, f"{who} {verb(number, 'fits', 'fit')}, but none can take jobs: {named}{more}.")


def _waking(hosts: Sequence[Host]) -> Reason:
    """The one that is named first by name: of several, all wake for jobs that it could run."""
    first = min(hosts, key=lambda host: host.name)
    others = f", and {count(len(hosts) - 1, 'more host')} that {verb(len(hosts) - 1, 'fits', 'fit')}"
    usual = f": {first.waking}" if first.waking else ""
    return Reason(
        ReasonKind.WAKING,
        f"{first.name} is being woken and can run it{usual}{others if len(hosts) > 1 else ''}.",
        places=(first.name,),
    )


def _by(host: Host) -> str:
    if host.readiness is Readiness.UNABLE:
        return f" ({host.unable})" if host.unable else ""
    return f" ({host.held})" if host.held and host.readiness in (Readiness.HELD, Readiness.DRAINING) else ""


def _not_let_in(fitting: Fitting) -> Reason:
    hosts = fitting.index.hosts_in(fitting.meeting)
    where = Counter(host.paddock for host in hosts)
    parts = ", ".join(f"{name} ({count(number, 'host')})" for name, number in sorted(where.items())[:4])
    return Reason(
        ReasonKind.NOT_LET_IN,
        f"Its pipeline is not allowed into {parts}, where hosts fit. An operator of the paddock can let it in.",
        places=tuple(sorted(where)),
    )


def _reserved(fitting: Fitting) -> Reason:
    hosts = fitting.index.hosts_in(fitting.let_in)
    labels = sorted({label for host in hosts for label in host.labels})
    ask = f" Ask for {join_some(labels, 'or')} in its terms." if labels else ""
    who = f"The only host that fits, {hosts[0].name}, is" if len(hosts) == 1 else f"All {len(hosts)} hosts that fit are"
    return Reason(ReasonKind.RESERVED, f"{who} reserved for jobs that ask for one of its labels.{ask}")


def join_some(words: Sequence[str], last: str) -> str:
    """The labels as terms; of many only the first four.

    >>> join_some(["bench-rig", "x"], "or")
    '`label bench-rig` or `label x`'
    """
    words = [f"`label {word}`" for word in words[:4]]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} {last} {words[-1]}"


def _no_fit(fitting: Fitting) -> Reason:
    index, terms, admitted = fitting.index, fitting.requirement.terms, fitting.admitted
    at_gate, waiting = _fitting_at_gate(fitting), _not_surveyed(fitting)
    if at_gate:
        return Reason(ReasonKind.NO_FIT, f"No admitted host fits. {at_gate[0]} would fit, but stands at the gate.")
    unmet = [i for i, term in enumerate(terms) if not (admitted & index.holds(term)).any()]
    if not unmet:
        best = index.at(nearest_place(fitting))
        lacking = [f"`{term}`" for term in terms if not verdict_on(term, best).holds]
        return Reason(
            ReasonKind.NO_FIT,
            f"Each term is met somewhere, but no host meets all of them: {best.name} comes nearest and lacks "
            f"{' and '.join(lacking)}.{waiting}",
        )
    words = index.words(fitting.requirement.reach)
    parts = [_unmet(terms[i], index, admitted, words) for i in unmet[:3]]
    more = (
        f" {count(len(unmet) - 3, 'more term')} {verb(len(unmet) - 3, 'is', 'are')} met nowhere."
        if len(unmet) > 3
        else ""
    )
    return Reason(
        ReasonKind.NO_FIT, " ".join(parts) + more + waiting, unmet[0], meant_name(terms[unmet[0]], words) or None
    )


def lacking_terms(fitting: Fitting, terms: Sequence[Term]) -> NDArray[np.int16]:
    """For each place of the fleet, how many of the terms do not hold there (int16)."""
    lacks = np.zeros(len(fitting.admitted) * 64, np.int16)
    for term in terms:
        lacks += 1 - unpacked(fitting.index.holds(term)).astype(np.int16)
    return lacks


def nearest_place(fitting: Fitting) -> int:
    """The place of the admitted host that lacks the fewest terms, of them the fewest that nothing can be done about;
    among equals, the first by name."""
    places = np.array(fitting.index.places_in(fitting.admitted), int)
    fixed = tuple(term for term in fitting.requirement.terms if isinstance(term, FIXED))
    lacks = (lacking_terms(fitting, fitting.requirement.terms) + lacking_terms(fitting, fixed))[places]
    nearest = places[lacks == lacks.min()]
    return int(nearest[fitting.index.name_ranks()[nearest].argmin()])


def _fitting_at_gate(fitting: Fitting) -> list[str]:
    """The hosts that need only be admitted."""
    at_gate = fitting.inside & fitting.index.state(Readiness.AT_THE_GATE)
    for term in fitting.requirement.terms:
        at_gate &= fitting.index.holds(term)
    return sorted(host.name for host in fitting.index.hosts_in(at_gate))


def _not_surveyed(fitting: Fitting) -> str:
    """A sentence on the hosts whose tools are not known yet: they may fit after all."""
    index = fitting.index
    unknown = sorted(host.name for host in index.hosts_in(fitting.admitted & ~index.state("surveyed")))
    if not unknown:
        return ""
    return f" {unknown[0]} has not been surveyed yet" + (f", nor {len(unknown) - 1} more." if unknown[1:] else ".")


def _unmet(term: Term, index: FleetIndex, admitted: Bits, words: FleetWords) -> str:
    """A sentence on a term that none of the admitted hosts meets."""
    close = meant_name(term, words)
    match term:
        case LabelTerm():
            return f'No host has the label "{term.name}".' + _did_you_mean(close, words.labels)
        case HostTerm() if term.name in words.at_gate:
            return f"The host {words.at_gate[term.name].name} stands at the gate."
        case HostTerm():
            return f'No host is called "{term.name}".' + (f' Did you mean "{close}"?' if close else "")
        case PaddockTerm():
            return f'No paddock is called "{term.name}".' + (f' Did you mean "{close}"?' if close else "")
        case KitTerm() if term.terms is None:
            return f'No kit is called "{term.name}".' + (f' Did you mean "{close}"?' if close else "")
        case KitTerm():
            lacking = _unmet_together(term.terms or (), index, admitted, words)
            return f"No host meets every term of the kit {term.name}. {lacking}"
        case ToolTerm():
            return _tool_unmet(term, words)
        case OsTerm():
            systems = Counter({name: n for name, n in words.systems.items() if name.split()[0] == term.name})
            there = _there(systems or words.systems)
            return f"No host runs {str(term).removeprefix('os ')}{there}."
        case ArchTerm():
            return f"No host has the architecture {term.name}{_there(words.arches)}."
        case NotTerm():
            holding = count_bits(index.holds(term.term) & admitted)
            if not holding:
                return f"It is known of no host whether `{term.term}` holds there, so none meets `{term}`."
            every = (
                "every host" if holding == len(words.admitted) else f"{count(holding, 'host')}, not known of the others"
            )
            return f"No host meets `{term}`: `{term.term}` holds on {every}."
        case AnyOf():
            parts = [_unmet_inside(one, index, admitted, words) for one in term.terms[:3]]
            more = f" {count(len(term.terms) - 3, 'more alternative')} fail." if len(term.terms) > 3 else ""
            return f"No host meets any of {len(term.terms)} alternatives. {' '.join(parts)}{more}"
        case AllOf():
            return f"No host meets `{term}`. {_unmet_together(term.terms, index, admitted, words)}"
        case EnvTerm():
            number = words.variables[term.name]
            if term.value is None or not number:
                return f"The variable {term.name} is set for no host's agent."
            set_on = count(number, "host")
            return f"The variable {term.name} is set on {set_on}, but on none is it known to be {term.value}."
        case GroupTerm():
            return f"No host's agent runs under an account in the group {term.name}."
        case ServiceTerm():
            if term.name not in words.services:
                return f'The service "{term.name}" is watched on no host.' + _did_you_mean(close, words.services)
            states = Counter(host.services[term.name] for host in words.admitted if term.name in host.services)
            there = _listed(states)
            return f"The service {term.name} runs on no host: it {there}."
        case CoresTerm():
            return f"No host has {count(term.least, 'core')}: the most is {max(host.cores for host in words.admitted)}."
        case MemoryTerm():
            largest = memory_size(max(host.memory for host in words.admitted))
            return f"No host meets `{term}` ({memory_size(term.least)}): the most is {largest}."
        case DiskTerm():
            most = max((host.disk_free or 0 for host in words.admitted), default=0)
            return f"No host has {disk_size(term.least)} of disk free now: the most is {disk_size(most)}."
        case DisplayTerm():
            return "No host has a display."


def _tool_unmet(term: ToolTerm, words: FleetWords) -> str:
    name = term.name
    broken = words.broken[name]
    if name in words.tools:
        rest = f"; on {count(broken, 'more host')} it is there, but does not answer" if broken else ""
        return f"No host has {name} {term.range}: there {_listed(words.versions(name))}{rest}."
    if broken:
        example = min((host for host in words.admitted if name in host.broken), key=lambda host: host.name)
        there = f"{name} is there on {count(broken, 'host')}, but does not answer."
        return f"{there} On {example.name}: {example.broken[name]}."
    close = meant_name(term, words)
    if words.catalogue and name not in words.catalogue:
        return f'The catalogue has no tool "{name}", so no survey looks for it.' + _did_you_mean(close, words.tools)
    return f'No host has the tool "{name}".' + _did_you_mean(close, words.tools)


def _unmet_together(terms: Sequence[Term], index: FleetIndex, admitted: Bits, words: FleetWords) -> str:
    """Why no host meets several terms at once: those that are met nowhere, or that each is met on another host."""
    nowhere = [term for term in terms if not (admitted & index.holds(term)).any()]
    if nowhere:
        return " ".join(_unmet_inside(term, index, admitted, words) for term in nowhere[:3])
    met = ", ".join(f"`{term}` on {count(count_bits(admitted & index.holds(term)), 'host')}" for term in terms[:4])
    return f"Each of its terms is met somewhere, but not all on one host: {met}."


def _unmet_inside(term: Term, index: FleetIndex, admitted: Bits, words: FleetWords) -> str:
    """The same inside another term. Alternatives in there are not gone through: sentences would multiply."""
    return f"No host meets `{term}`." if isinstance(term, AnyOf) else _unmet(term, index, admitted, words)


def _there(spread: Counter[str]) -> str:
    listed = ", ".join(
        f"{name} on {count(number, 'host')}" for name, number in sorted(spread.items(), key=_most_first)[:4]
    )
    return f": there is {listed}" if listed else ""


def _did_you_mean(close: str | None, having: Counter[str]) -> str:
    if not close:
        return ""
    return f' Did you mean "{close}"' + (f" ({count(having[close], 'host')})?" if having[close] else "?")


def _most_first(one: tuple[str, int]) -> tuple[int, str]:
    return -one[1], one[0]


def _listed(spread: Counter[str]) -> str:
    """What most hosts have first: ``is 17.0.9 on 3 hosts, 21.0.5 on 1 host``."""
    listed = [f"{what} on {count(number, 'host')}" for what, number in sorted(spread.items(), key=_most_first)]
    more = f" and {len(listed) - 4} others" if len(listed) > 4 else ""
    return f"is {', '.join(listed[:4])}{more}"


def funnel(requirement: Requirement, index: FleetIndex) -> tuple[FunnelStep, ...]:
    """From all hosts to those that could take the job now: each step keeps what is left of the one before. Steps
    that keep all for every job are left out: a fence that lets all in, reservations that do not concern it."""
    fitting = Fitting(requirement, index)
    left = index.state("there")
    steps = [FunnelStep("all hosts", count_bits(left))]
    if requirement.reach is not None:
        steps.append(FunnelStep("within the sender's reach", count_bits(fitting.inside)))
    left = fitting.inside
    if requirement.let_in is not None and not requirement.is_internal:
        left = left & index.in_paddocks(requirement.let_in)
        steps.append(FunnelStep("inside the fence", count_bits(left)))
    left = left & index.state("admitted")
    steps.append(FunnelStep("admitted", count_bits(left)))
    for i, term in enumerate(requirement.terms):
        left = left & index.holds(term)
        steps.append(FunnelStep(str(term), count_bits(left), i))
    kept = left & ~(fitting.let_in & ~fitting.not_reserved)
    if count_bits(kept) != count_bits(left):
        steps.append(FunnelStep("open to it", count_bits(kept)))
    if requirement.slots > 1:
        kept = kept & index.with_slots(requirement.slots)
        steps.append(FunnelStep(f"{requirement.slots} slots in all", count_bits(kept)))
    unable = kept & index.state(Readiness.UNABLE)
    sleepers = kept & (index.state(Readiness.ASLEEP) | index.state(Readiness.WAKING))
    kept = kept & index.state("ready")
    if sleepers.any():
        steps.append(FunnelStep("awake or asleep on purpose, not held", count_bits(kept | unable | sleepers)))
    steps.append(FunnelStep("connected, not held", count_bits(kept) + count_bits(unable)))
    if unable.any():
        steps.append(FunnelStep("able to work now", count_bits(kept)))
    kept = kept & index.state(Readiness.FREE)
    if requirement.slots > 1:
        enough = sum(host.free_slots >= requirement.slots for host in index.hosts_in(kept))
        return (*steps, FunnelStep(f"{requirement.slots} slots free", enough))
    return (*steps, FunnelStep("slot free", count_bits(kept)))


def count(number: int, noun: str) -> str:
    """``count(1, "host")`` -> ``"1 host"``; ``count(2, "host")`` -> ``"2 hosts"``."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def verb(number: int, one: str, many: str) -> str:
    """The form of the verb that goes with ``number``."""
    return one if number == 1 else many

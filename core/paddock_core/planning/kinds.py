"""Kinds of work: the jobs that ask for the same terms, seen over time, and the hosts that cover them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo

import numpy as np
from numpy.typing import NDArray

from ..errors import CoreError
from ..fit import Fitting, Requirement, sheet_of
from ..fleet import Host
from ..fleet_index import FleetIndex
from ..remedies import Remedies, RemedyKind
from ..terms import Term, asked
from .past import PASSED, Ask, Past
from .rehearsal import ReadTerms
from .use import HOURS_OF_WEEK, hour_edges, quantiles

THIN = 2
"""Kinds of work with no more hosts than these have thin cover."""
MAX_EXAMINED = 100
"""Hosts that lack little, for which remedies are looked for."""
SHARES = (0.05, 0.25, 0.5, 0.75, 0.95)
"""The shares at which the distribution of lengths is given."""


@dataclass(frozen=True)
class KindOfWork:
    """Jobs that ask for the same, or for so nearly the same that the same hosts fit. ``ask`` is the one that most of
    them have; ``asks`` are the numbers of all of them in the past's table. Lengths and waits in seconds; ``lengths``
    at ``SHARES``. ``hosts`` fit now; ``unreadable`` says why its terms mean nothing any more, "" where they do."""

    ask: Ask
    asks: tuple[int, ...]
    pipelines: tuple[str, ...]
    runs: int
    runs_per_week: float
    slot_hours_per_week: float
    lengths: tuple[float, ...]
    median_wait: float
    high_wait: float
    hosts: tuple[str, ...]
    unreadable: str = ""
    thicken: str = ""
    """Where cover is thin: the cheapest way to one more host, by the remedies of routing; "" where there is none."""

    @property
    def name(self) -> str:
        """What it is called: its terms."""
        return name_of(self.ask)


@dataclass(frozen=True)
class Failure:
    """Hosts that fail together, and the pipelines that stop then: no host is left for some of their jobs."""

    hosts: tuple[str, ...]
    pipelines: tuple[str, ...]
    kinds: tuple[str, ...]


def name_of(ask: Ask) -> str:
    """What jobs that ask for this are called."""
    text = ", ".join(ask.terms) or "anything"
    return f"{text} ({ask.slots} slots)" if ask.slots > 1 else text


def kinds_of_work(past: Past, hosts: Sequence[Host], read_terms: ReadTerms) -> list[KindOfWork]:
    """The kinds of work of a past, the one with the fewest hosts first; of equals, the one with the most slot-hours."""
    index = FleetIndex(hosts)
    groups: dict[object, list[int]] = defaultdict(list)
    fitting: dict[int, tuple[tuple[str, ...], str]] = {}
    for number in np.unique(past.ask).tolist():
        ask = past.asks[number]
        try:
            terms = read_terms(ask.terms)
        except CoreError as error:
            fitting[number] = ((), str(error))
            groups["unreadable", ask.terms, ask.slots].append(number)
            continue
        found = Fitting(Requirement(terms, ask.slots, frozenset(ask.paddocks) or None), index).fits
        fitting[number] = (tuple(sorted(host.name for host in index.hosts_in(found))), "")
        groups[frozenset(map(_subject, terms)), ask.slots, fitting[number][0]].append(number)
    weeks = _weeks(past)
    runs_of = np.bincount(past.ask, minlength=len(past.asks))
    kinds = []
    for numbers in groups.values():
        mine = np.isin(past.ask, numbers)
        main = max(numbers, key=lambda number: (runs_of[number], -number))
        passed = past.lengths[mine & (past.outcome == PASSED)]
        waits = past.waits[mine]
        held = past.ended[mine] - past.placed[mine]
        kinds.append(
            KindOfWork(
                ask=past.asks[main],
                asks=tuple(numbers),
                pipelines=tuple(sorted({past.pipelines[at] for at in np.unique(past.pipeline[mine]).tolist()})),
                runs=int(mine.sum()),
                runs_per_week=float(mine.sum() / weeks),
                slot_hours_per_week=float((held * past.asks[main].slots).sum() / 3600 / weeks),
                lengths=quantiles(passed, SHARES) if len(passed) else (),
                median_wait=quantiles(waits, (0.5,))[0],
                high_wait=quantiles(waits, (0.95,))[0],
                hosts=fitting[main][0],
                unreadable=fitting[main][1],
                thicken=_cheapest_way(past.asks[main], index, read_terms) if _is_thin(fitting[main]) else "",
            )
        )
    return sorted(kinds, key=lambda kind: (len(kind.hosts), -kind.slot_hours_per_week, kind.name))


def _is_thin(fitting: tuple[tuple[str, ...], str]) -> bool:
    hosts, unreadable = fitting
    return len(hosts) <= THIN and not unreadable


def _cheapest_way(ask: Ask, index: FleetIndex, read_terms: ReadTerms) -> str:
    """What one more host lacks, and how it gets it."""
    requirement = Requirement(read_terms(ask.terms), ask.slots, frozenset(ask.paddocks) or None)
    rows = [row for row in sheet_of(requirement, list(index)).rows if not row.fits][:MAX_EXAMINED]
    for near in Remedies(requirement, index).near_fits(rows):
        # Another term would be other work.
        if all(step.kind is not RemedyKind.CORRECT for step in near.remedies):
            return near.text
    return ""


def _weeks(past: Past) -> float:
    return max((past.sent[-1] - past.sent[0]) / (7 * 86_400.0), 1 / 7) if len(past) else 1.0


def _subject(term: Term) -> object:
    """What a term is about, without its value: jobs that ask for other versions of the same tools are near."""
    return tuple((type(one).__name__, getattr(one, "name", "")) for one in asked(term)) or type(term).__name__


def arrivals_by_hour_of_week(past: Past, zone: tzinfo) -> NDArray[np.float64]:
    """Jobs per hour in each hour of the week, shape (7, 24), from Monday; NaN for hours that the past does not have."""
    return arrivals_of_each(past, [np.arange(len(past))], zone)[0]


def arrivals_of_each(past: Past, groups: Sequence[NDArray[np.int64]], zone: tzinfo) -> list[NDArray[np.float64]]:
    """The same for each group of runs, given by their places in ascending order. Hours in which no job of a group
    came count as hours without one, as long as the past has them."""
    if not len(past):
        return [np.full((7, 24), np.nan) for _ in groups]
    # Whole hours: a job in the first second of one must not count as thousands an hour.
    since, until = np.floor(past.sent[0] / 3600) * 3600, (np.floor(past.sent[-1] / 3600) + 1) * 3600
    edges, hours = hour_edges(float(since), float(until), zone)
    seconds = np.bincount(hours, np.diff(edges), HOURS_OF_WEEK)
    found = []
    for group in groups:
        counted = np.diff(np.searchsorted(past.sent[group], edges))
        with np.errstate(invalid="ignore", divide="ignore"):
            rates = np.where(seconds > 0, np.bincount(hours, counted, HOURS_OF_WEEK) / (seconds / 3600), np.nan)
        found.append(rates.reshape(7, 24))
    return found


def failures(kinds: Sequence[KindOfWork]) -> list[Failure]:
    """The single hosts and the pairs of hosts that stop a kind of work if they fail, single hosts first."""
    stops: dict[tuple[str, ...], list[KindOfWork]] = defaultdict(list)
    for kind in kinds:
        if 1 <= len(kind.hosts) <= 2:
            stops[kind.hosts].append(kind)
    found = []
    for hosts, some in stops.items():
        # A pair stops what each of the two stops alone, too.
        also = [kind for one in hosts if len(hosts) > 1 for kind in stops.get((one,), ())]
        pipelines = sorted({name for kind in [*some, *also] for name in kind.pipelines})
        found.append(Failure(hosts, tuple(pipelines), tuple(kind.name for kind in [*some, *also])))
    return sorted(found, key=lambda one: (len(one.hosts), -len(one.pipelines), one.hosts))

"""What a rehearsal is asked, and its answer as plain values."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from ..terms import Term
from .attribution import effects, plays_needed
from .changes import Change, apply_all
from .comparison import Difference, Waits, at_most, blocks, difference, sentence, waits_of
from .host_changes import AddHosts
from .kinds import name_of
from .past import Past
from .rehearsal import Rehearsed, Setting, rehearse
from .sizing import Growth, breaking_factor, growth, outgrown, smallest
from .use import busy_by_hour_of_week, quantiles
from .work_changes import GrowPipeline

Progress = Callable[[float], None]
MAX_SHOWN = 50
CLOSE_ENOUGH = 0.10
"""By how much recorded and rehearsed waits may differ for the rehearsal to count as calibrated."""
NEGLIGIBLE_SECONDS = 5.0
"""Waits that differ by less are the same for people."""


@dataclass(frozen=True)
class Question:
    """A setting as it was, and what is asked of it. ``terms`` are those of its jobs and changes, read."""

    setting: Setting
    changes: tuple[Change, ...]
    terms: Mapping[tuple[str, ...], tuple[Term, ...]]
    since: float
    until: float
    seed: int = 0
    zone: str = "UTC"
    target: float = 0.0
    pipelines: tuple[str, ...] = ()
    like: str = ""
    weeks: tuple[float, ...] = ()
    """Slot-hours of the pipelines in each whole week, oldest first, from further back than what is played."""

    def read_terms(self, texts: tuple[str, ...]) -> tuple[Term, ...]:
        """The terms; those of a changed job line by line."""
        if texts in self.terms:
            return self.terms[texts]
        return tuple(term for text in texts for term in self.terms[(text,)])


def answer(question: Question, progress: Progress) -> dict[str, Any]:
    """The result as plain values, for JSON."""
    steps = 1.0 + bool(question.changes) + plays_needed(len(question.changes)) + (20.0 if question.target else 0.0)
    done = 0.0

    def play(setting: Setting) -> Rehearsed:
        nonlocal done
        found = rehearse(setting, question.read_terms, lambda share: progress(min(0.99, (done + share) / steps)))
        done += 1
        return found

    before_setting = question.setting
    before = play(before_setting)
    after_setting, after = before_setting, before
    if question.changes:
        after_setting = apply_all(before_setting, question.changes, question.seed)
        after = play(after_setting)
    found: dict[str, Any] = {
        "runs": len(before_setting.past),
        "hosts": [len(before_setting.hosts), len(after_setting.hosts)],
        "slots": [sum(host.slots for host in one.hosts) for one in (before_setting, after_setting)],
        "latency": before_setting.latency,
        "calibration": calibration(before_setting.past, before, question.seed),
        "pipelines": _by_pipeline(question, before_setting.past, before, after_setting.past, after),
        "kinds": _by_kind(question, before_setting.past, before, after_setting.past, after),
        "never": never_run(after_setting.past, after, _never_by_kind(before_setting.past, before)),
        "busy": [_busy(question, one, which) for one, which in ((before_setting, before), (after_setting, after))],
    }
    if after_setting.sleep:
        found["slept"] = _slept(before, after)
    found["effects"] = effects(before_setting, question.changes, (after_setting.past, after), play, question.seed)
    if question.target and question.pipelines:
        found |= _sizing(question, after_setting, play)
    return found


def _slept(before: Rehearsed, after: Rehearsed) -> dict[str, Any]:
    """What sleeping saved, and the minutes that jobs waited longer in sum; None where other jobs were played."""
    same = len(before.placed) == len(after.placed)
    waited = float(np.nansum(after.waits - before.waits)) / 60 if same else None
    return {"hours": after.slept.hours, "wakes": after.slept.wakes, "waited": waited}


def calibration(past: Past, rehearsed: Rehearsed, seed: int) -> dict[str, Any]:
    """The recorded waits against those of the play without a change: how far it is to be trusted."""
    block = blocks(past.sent)
    recorded = waits_of(past.waits, block, seed)
    played = waits_of(rehearsed.waits, block, seed)
    ratios: list[float | None] = []
    for name in ("median", "high"):
        first, second = getattr(recorded, name), getattr(played, name)
        if first is None or second is None:
            ratios.append(None)
        elif abs(first.value - second.value) < NEGLIGIBLE_SECONDS:
            ratios.append(1.0)
        else:
            ratios.append(second.value / first.value if first.value > 0 else None)
    is_close = all(ratio is not None and abs(ratio - 1) <= CLOSE_ENOUGH for ratio in ratios)
    return {
        "recorded": _waits(recorded), "rehearsed": _waits(played), "median_ratio": ratios[0],
        "high_ratio": ratios[1], "is_close": is_close,
    }  # fmt: skip


def _never_by_kind(past: Past, rehearsed: Rehearsed) -> Counter[str]:
    numbers = past.ask[np.isnan(rehearsed.placed)].tolist()
    return Counter(name_of(past.asks[number]) for number in numbers)


def never_run(past: Past, rehearsed: Rehearsed, before: Mapping[str, int]) -> list[dict[str, Any]]:
    """The jobs that never start, by what they ask for. ``before`` is how many of a kind never start without the
    change: hosts that ran them have left."""
    never = np.isnan(rehearsed.placed)
    found: list[dict[str, Any]] = []
    for number in np.unique(past.ask[never]).tolist():
        mine = never & (past.ask == number)
        fits = bool(rehearsed.fits[mine].any())
        names = sorted({past.pipelines[at] for at in np.unique(past.pipeline[mine]).tolist()})
        why = (
            "The hosts that fit are on hold, closed or full to the end, or jobs before them never end."
            if fits
            else "No host fits them."
        )
        kind = name_of(past.asks[number])
        found.append(
            {"kind": kind, "runs": int(mine.sum()), "today": before.get(kind, 0), "pipelines": names, "why": why}
        )
    return sorted(found, key=lambda one: -one["runs"])[:MAX_SHOWN]


def _by_pipeline(
    question: Question, past: Past, before: Rehearsed, past_after: Past, after: Rehearsed
) -> list[dict[str, Any]]:
    names = [*past.pipelines, *(name for name in past_after.pipelines if name not in past.pipelines)]
    rows = [
        _compared(
            question, name, (past, before, past.of_pipeline(name)), (past_after, after, past_after.of_pipeline(name))
        )
        for name in names
    ]
    rows = [row for row in rows if row["before"]["runs"] or row["after"]["runs"]]
    return sorted(rows, key=lambda row: -(row["before"]["runs"] + row["after"]["runs"]))[:MAX_SHOWN]


def _by_kind(
    question: Question, past: Past, before: Rehearsed, past_after: Past, after: Rehearsed
) -> list[dict[str, Any]]:
    if past_after is not past and past_after.asks != past.asks:
        # Where the terms themselves change, there is nothing to compare by.
        return []
    groups: dict[str, list[int]] = defaultdict(list)
    for number, ask in enumerate(past.asks):
        groups[name_of(ask)].append(number)
    rows = [
        _compared(question, name, (past, before, np.isin(past.ask, numbers)),
                  (past_after, after, np.isin(past_after.ask, numbers)))
        for name, numbers in groups.items()
    ]  # fmt: skip
    return sorted(rows, key=lambda row: -row["before"]["runs"])[:MAX_SHOWN]


Part = tuple[Past, Rehearsed, NDArray[np.bool_]]


def _compared(question: Question, name: str, before: Part, after: Part) -> dict[str, Any]:
    (past, played, mine), (past_after, played_after, mine_after) = before, after
    found = difference(
        played.waits[mine],
        blocks(past.sent)[mine],
        played_after.waits[mine_after],
        blocks(past_after.sent)[mine_after],
        question.seed,
    )
    change = None if found.change is None else asdict(found.change)
    return {
        "name": name, "sentence": sentence(name, found) if question.changes else _plain(name, found),
        "before": _waits(found.before), "after": _waits(found.after), "change": change, "is_certain": found.is_certain,
    }  # fmt: skip


def _plain(name: str, found: Difference) -> str:
    high = found.before.high
    return f"{name}: 95 of 100 wait under {at_most(high.value)}." if high else f"{name}: too few jobs to say."


def _busy(question: Question, setting: Setting, rehearsed: Rehearsed) -> list[list[float | None]]:
    started = ~np.isnan(rehearsed.placed)
    past = setting.past
    ended = np.where(np.isnan(rehearsed.ended), question.until, rehearsed.ended)
    played = replace(past, placed=rehearsed.placed, ended=ended).where(started)
    slots = sum(host.slots for host in setting.hosts)
    if not slots or question.until <= question.since:
        return []
    grid = busy_by_hour_of_week(played, slots, question.since, question.until, ZoneInfo(question.zone))
    return [[None if math.isnan(share) else round(float(share), 4) for share in day] for day in grid]


# ---- how many, and when ----------------------------------------------------------------------------------------------


def _sizing(question: Question, setting: Setting, play: Callable[[Setting], Rehearsed]) -> dict[str, Any]:
    past = setting.past

    def wait(changed: Setting) -> float:
        waits = play(changed).waits[_chosen(changed.past, question.pipelines)]
        return quantiles(np.where(np.isnan(waits), math.inf, waits), (0.95,))[0] if len(waits) else 0.0

    def with_more(count: int) -> float:
        return wait(AddHosts(question.like, count).apply(setting, question.seed) if count else setting)

    def grown(factor: float, base: Setting = setting) -> float:
        changes = [GrowPipeline(name, factor) for name in question.pipelines if name in past.pipelines]
        return wait(apply_all(base, changes, question.seed) if factor != 1 else base)

    found: dict[str, Any] = {"target": question.target, "for_pipelines": list(question.pipelines)}
    if question.like:
        sizing = smallest(with_more, question.target, 16)
        found["sizing"] = {
            "like": question.like, "count": sizing.count,
            "curve": [[number, None if math.isinf(seconds) else seconds] for number, seconds in sizing.curve],
            "why": "" if sizing.count is not None else _why_never(question, sizing.curve),
        }  # fmt: skip
    grows = growth(question.weeks)
    breaks = outgrown(grows, breaking_factor(grown, question.target))
    found["growth"] = None if grows is None else _growth(grows)
    found["outgrown"] = None if breaks is None else asdict(breaks)
    if question.like and breaks is not None:
        more = AddHosts(question.like).apply(setting, question.seed)
        later = outgrown(grows, breaking_factor(lambda factor: grown(factor, more), question.target))
        found["outgrown_with_one"] = None if later is None else asdict(later)
    return found


def _why_never(question: Question, curve: Sequence[tuple[int, float]]) -> str:
    """Why more hosts do not help."""
    most, least = curve[-1][1], curve[0][1]
    if math.isinf(most):
        return f"Some of these jobs fit no host, and none like {question.like}. Look at their terms first."
    if most > 0.9 * least:
        return (
            f"More hosts like {question.like} hardly change the wait: the jobs that wait longest do not fit it, or "
            "follow one another on one host."
        )
    return f"Even {curve[-1][0]} more hosts like {question.like} leave the wait above the target."


def _chosen(past: Past, pipelines: Sequence[str]) -> NDArray[np.bool_]:
    return np.isin(past.pipeline, [at for at, name in enumerate(past.pipelines) if name in pipelines])


def _growth(found: Growth) -> dict[str, Any]:
    return {**asdict(found), "weeks": list(found.weeks), "is_certain": found.is_certain}


def _waits(found: Waits) -> dict[str, Any]:
    return {**asdict(found), "curve": [list(point) for point in found.curve]}

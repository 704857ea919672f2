"""More or fewer runs of a pipeline: the recorded ones, drawn again or left out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ..errors import CoreError
from .past import COLUMNS, TIMES, Past, in_order

MAX_FACTOR = 20.0
JITTER_SECONDS = 1_800.0
"""By how much, at most, a copied job is moved in time: twins at the same second would wait for each other."""


class ChangeError(CoreError):
    """A change that contradicts itself, another one or the fleet."""


def multiplied(past: Past, rows: Any, factor: float, seed: int, pipeline: str) -> Past:
    """The past with some runs drawn again or left out. Copies have negative job numbers; jobs that follow each other
    are drawn together."""
    if not (math.isfinite(factor) and 0 <= factor <= MAX_FACTOR):
        raise ChangeError(f"{pipeline}: the factor is between 0 and {MAX_FACTOR:g}.")
    rng = np.random.default_rng([seed, *pipeline.encode()])
    jobs = np.unique(past.job[rows])
    groups = _groups(past, jobs)
    heads = np.unique(groups)
    chosen = rng.permutation(heads)
    whole, part = int(factor), factor - int(factor)
    again = [heads] * max(0, whole - 1) + ([chosen[: round(part * len(heads))]] if whole else [])
    keep = np.ones(len(past), bool)
    if whole == 0:
        kept = chosen[: round(part * len(heads))]
        keep[rows] = np.isin(groups, kept)[np.searchsorted(jobs, past.job[rows])]
    copies = []
    for number, some in enumerate(again):
        drawn = np.isin(groups, some)
        mine = rows[drawn[np.searchsorted(jobs, past.job[rows])]]
        shift = dict(zip(some.tolist(), rng.uniform(-JITTER_SECONDS, JITTER_SECONDS, len(some)).tolist(), strict=True))
        owner = groups[np.searchsorted(jobs, past.job[mine])].tolist()
        copies.append((number, mine, np.array([shift[group] for group in owner])))
    return _with_copies(past.where(keep) if not keep.all() else past, past, copies)


def _groups(past: Past, jobs: Any) -> Any:
    """For each job, the smallest number among the jobs that it is tied to by order."""
    group = {job: job for job in jobs.tolist()}

    def head(job: int) -> int:
        while group[job] != job:
            group[job] = group[group[job]]
            job = group[job]
        return job

    for run, before in zip(past.after_run.tolist(), past.after_job.tolist(), strict=True):
        job = int(past.job[run])
        if job in group and before in group:
            first, second = sorted((head(job), head(before)))
            group[second] = first
    return np.array([head(job) for job in jobs.tolist()], np.int64)


def _with_copies(kept: Past, past: Past, copies: Sequence[tuple[int, Any, Any]]) -> Past:
    if not copies:
        return kept
    columns: dict[str, list[Any]] = {name: [getattr(kept, name)] for name in COLUMNS}
    after_run, after_job, length = [kept.after_run], [kept.after_job], len(kept)
    lowest = min(0, int(past.job.min())) if len(past) else 0
    span = int(past.job.max()) - lowest + 1 if len(past) else 1
    for number, rows, shift in copies:
        base = lowest - span * (number + 1)
        for name in COLUMNS:
            values = getattr(past, name)[rows]
            if name in TIMES:
                values = values + shift
            elif name == "job":
                values = values - lowest + base
            columns[name].append(values)
        place = np.full(len(past), -1)
        place[rows] = np.arange(len(rows)) + length
        follows = place[past.after_run] >= 0 if len(past.after_run) else np.zeros(0, bool)
        after_run.append(place[past.after_run[follows]].astype(np.int32))
        inside = np.isin(past.after_job[follows], past.job[rows])
        after_job.append(np.where(inside, past.after_job[follows] - lowest + base, past.after_job[follows]))
        length += len(rows)
    joined: dict[str, Any] = {name: np.concatenate(parts).astype(parts[0].dtype) for name, parts in columns.items()}
    return in_order(replace(kept, **joined, after_run=np.concatenate(after_run), after_job=np.concatenate(after_job)))

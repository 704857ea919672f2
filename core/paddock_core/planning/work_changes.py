"""Changes to pipelines and their jobs that can be rehearsed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from .host_changes import demand_between
from .more_runs import ChangeError, multiplied
from .past import Past
from .rehearsal import Setting


@dataclass(frozen=True)
class SetPriority:
    """Another priority for all jobs of a pipeline."""

    kind: ClassVar[str] = "set a priority"
    pipeline: str
    priority: int

    @property
    def sentence(self) -> str:
        return f"{self.pipeline} with priority {self.priority}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        demand_between(self.priority, -100, 100, "the priority")
        past = setting.past
        priority = past.priority.copy()
        priority[past.pipeline == _pipeline(past, self.pipeline)] = self.priority
        return replace(setting, past=replace(past, priority=priority))


@dataclass(frozen=True)
class GrowPipeline:
    """Multiplies the jobs of a pipeline: recorded jobs are drawn again, or left out."""

    kind: ClassVar[str] = "grow a pipeline"
    pipeline: str
    factor: float

    @property
    def sentence(self) -> str:
        return f"{self.factor:g} times the jobs of {self.pipeline}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        past = setting.past
        rows = np.flatnonzero(past.pipeline == _pipeline(past, self.pipeline))
        return replace(setting, past=multiplied(past, rows, self.factor, seed, self.pipeline))


@dataclass(frozen=True)
class AddPipeline:
    """A new pipeline with the jobs of another one, multiplied by ``factor``."""

    kind: ClassVar[str] = "add a pipeline"
    name: str
    like: str
    factor: float = 1.0

    @property
    def sentence(self) -> str:
        times = "" if self.factor == 1 else f", {self.factor:g} times as many jobs"
        return f"a new pipeline {self.name} like {self.like}{times}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        past = setting.past
        if self.name in past.pipelines:
            raise ChangeError(f"The pipeline {self.name} is there already: let it grow instead.")
        rows = np.flatnonzero(past.pipeline == _pipeline(past, self.like))
        with_both = multiplied(past, rows, 1 + self.factor, seed, self.like)
        new = np.flatnonzero(with_both.job < 0)
        own = new[np.isin(with_both.job[new], past.job, invert=True)]
        pipeline = with_both.pipeline.copy()
        pipeline[own] = len(past.pipelines)
        return replace(setting, past=replace(with_both, pipeline=pipeline, pipelines=(*past.pipelines, self.name)))


@dataclass(frozen=True)
class ChangeTerm:
    """Another term in place of one, in all jobs of a pipeline; no new term: it is left out."""

    kind: ClassVar[str] = "change a term"
    pipeline: str
    term: str
    becomes: str = ""

    @property
    def sentence(self) -> str:
        if not self.becomes:
            return f"{self.pipeline} without `{self.term}`"
        return f"{self.pipeline} asks `{self.becomes}` for `{self.term}`"

    def apply(self, setting: Setting, seed: int) -> Setting:
        past = setting.past
        mine = past.pipeline == _pipeline(past, self.pipeline)
        asks, moved = list(past.asks), past.ask.copy()
        found = False
        for number in np.unique(past.ask[mine]).tolist():
            ask = past.asks[number]
            if self.term in ask.terms:
                terms = tuple(self.becomes if term == self.term else term for term in ask.terms)
                asks.append(replace(ask, terms=tuple(dict.fromkeys(term for term in terms if term))))
                moved[mine & (past.ask == number)] = len(asks) - 1
                found = True
        if not found:
            known = sorted({term for number in np.unique(past.ask[mine]).tolist() for term in past.asks[number].terms})
            raise ChangeError(f"No job of {self.pipeline} asks for `{self.term}`. They ask for: {', '.join(known)}.")
        return replace(setting, past=replace(past, ask=moved, asks=tuple(asks)))


def _pipeline(past: Past, name: str) -> int:
    if name not in past.pipelines:
        raise ChangeError(f"The pipeline {name} sent no jobs in these weeks.")
    return past.pipelines.index(name)

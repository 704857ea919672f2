"""Retention: how long records stay, and which rule decides for which of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

MAX_DAYS = 36_500
MAX_KEEP_LAST = 1_000
MIN_LOGBOOK_DAYS = 30
"""Who did what stays at least this long."""


class RecordKind(StrEnum):
    """What is retained."""

    FILES = "logs and files"
    TESTS = "test results"
    JOBS = "jobs"
    SURVEYS = "survey changes"
    USE = "recorded use"
    FINDINGS = "closed findings"
    LOGBOOK = "logbook"


OF_PIPELINES = (RecordKind.FILES, RecordKind.TESTS, RecordKind.JOBS)
"""Kinds whose records belong to a pipeline: of these the last runs of each job may stay besides."""


@dataclass(frozen=True)
class RetentionRule:
    """Records of ``kind`` stay ``days`` after their end, 0 forever, and so do the ``keep_last`` runs of each job that
    ended last. ``paddock`` and ``pipeline`` are "" for all."""

    kind: RecordKind
    days: int
    keep_last: int = 0
    paddock: str = ""
    pipeline: str = ""

    @property
    def rank(self) -> int:
        """Higher for a rule that is for less."""
        return 2 * bool(self.pipeline) + bool(self.paddock)

    def is_for(self, kind: RecordKind, paddock: str, pipeline: str) -> bool:
        """Whether the rule speaks of such records at all."""
        return self.kind is kind and self.paddock in ("", paddock) and self.pipeline in ("", pipeline)


def rule_for(rules: Iterable[RetentionRule], kind: RecordKind, paddock: str = "", pipeline: str = "") -> RetentionRule:
    """The one that decides: that of the pipeline in the paddock, else of the pipeline, of the paddock, of everything.
    Without any, records stay forever."""
    found = (one for one in rules if one.is_for(kind, paddock, pipeline))
    return max(found, key=lambda one: one.rank, default=RetentionRule(kind, 0))


def overruling(rule: RetentionRule, rules: Iterable[RetentionRule]) -> list[RetentionRule]:
    """Those that decide before ``rule`` for some of its records."""
    return [
        one
        for one in rules
        if one.kind is rule.kind
        and one.rank > rule.rank
        and (not rule.paddock or one.paddock in ("", rule.paddock))
        and (not rule.pipeline or one.pipeline in ("", rule.pipeline))
    ]


def first_mistake(rules: Sequence[RetentionRule]) -> tuple[int, str] | None:
    """The first rule that cannot be, by its place, and why; None if all can."""
    seen = set()
    for place, rule in enumerate(rules):
        key = (rule.kind, rule.paddock, rule.pipeline)
        if key in seen:
            return place, f"There are two rules for {rule.kind} of the same place."
        seen.add(key)
        if not 0 <= rule.days <= MAX_DAYS:
            return place, f"Retention is 0 (forever) to {MAX_DAYS} days."
        if not 0 <= rule.keep_last <= MAX_KEEP_LAST:
            return place, f"At most the last {MAX_KEEP_LAST} runs of each job can stay besides."
        if rule.kind not in OF_PIPELINES and (rule.pipeline or rule.keep_last):
            return place, f"Records of the kind {rule.kind} belong to no pipeline and no job."
        if rule.kind is RecordKind.USE and rule.paddock:
            return place, "Recorded use is kept by day for all paddocks together."
        if rule.kind is RecordKind.LOGBOOK and 0 < rule.days < MIN_LOGBOOK_DAYS:
            return place, f"The logbook stays at least {MIN_LOGBOOK_DAYS} days."
    return None

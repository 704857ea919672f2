"""The life of a finding: it opens, is acknowledged or snoozed by a person, and closes by itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from .finding import Finding


@dataclass(frozen=True)
class Lifetime:
    """What changes after an evaluation: findings that open, open ones whose words or evidence are others now, and the
    keys of those that close."""

    opened: tuple[Finding, ...]
    changed: tuple[Finding, ...]
    closed: tuple[str, ...]


def after(open_ones: Mapping[str, Finding], found: Sequence[Finding]) -> Lifetime:
    """Compares the findings of an evaluation with the open ones, by key. An open finding keeps its ``since``: when its
    evidence first held, also if the evidence changed later."""
    now = {one.key: one for one in found}
    return Lifetime(
        opened=tuple(one for key, one in now.items() if key not in open_ones),
        changed=tuple(
            replace(one, since=open_ones[key].since)
            for key, one in now.items()
            if key in open_ones and _says(one) != _says(open_ones[key])
        ),
        closed=tuple(key for key in open_ones if key not in now),
    )


def _says(one: Finding) -> tuple[object, ...]:
    """What people read of it. The times of its evidence go on by themselves, and are no news."""
    evidence = tuple(evidence.text for evidence in one.evidence)
    return one.severity, one.sentence, one.hosts, one.remedy, evidence, one.unknown, one.possible


def is_quiet(now: float, acknowledged: bool, snoozed_until: float | None) -> bool:
    """Whether a person has put an open finding aside: it stays open, and is not among what needs a hand."""
    return acknowledged or (snoozed_until is not None and now < snoozed_until)

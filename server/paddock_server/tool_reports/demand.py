"""Which tools the jobs of the last 30 days asked for, and what would stop if a version went."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from django.utils import timezone

from paddock_core import fleet as core
from paddock_core.fit import fit_sheet
from paddock_core.terms import Term, ToolTerm
from paddock_core.verdicts import meeting_term

from ..bring_up.actions.prove import PIPELINE
from ..people.actor import Actor
from ..toolchains.terms_input import terms_of
from ..work.visible import visible_jobs

WINDOW = timedelta(days=30)


@dataclass
class Asking:
    """One job, by pipeline and name, that asked for a tool: its terms, how often it ran, and the range it asked for."""

    pipeline: str
    job: str
    terms: tuple[Term, ...]
    times: int
    ranges: dict[str, str] = field(default_factory=dict)
    """By tool; "" for any version."""


def asked_lately(actor: Actor) -> list[Asking]:
    """Every distinct job of the last 30 days that the actor may see, the most frequent first. The jobs that prove a
    host ask for what happens to be there, and do not count."""
    since = timezone.now() - WINDOW
    counted: Counter[tuple[str, str, tuple[str, ...]]] = Counter()
    jobs = visible_jobs(actor).filter(submitted_at__gte=since).exclude(pipeline=PIPELINE)
    for pipeline, name, terms in jobs.values_list("pipeline", "name", "terms"):
        counted[pipeline, name, tuple(terms)] += 1
    found = []
    for (pipeline, name, texts), times in counted.most_common():
        terms = terms_of(texts)
        ranges = {t.name: str(t.range or "") for t in terms if isinstance(t, ToolTerm)}
        found.append(Asking(pipeline, name, terms, times, ranges))
    return found


def asked_by_tool(asked: Sequence[Asking]) -> dict[str, int]:
    """How many jobs asked for each tool."""
    counted: Counter[str] = Counter()
    for one in asked:
        for tool in one.ranges:
            counted[tool] += one.times
    return counted


def stopped_without(
    tool: str, versions: Collection[str], asked: Sequence[Asking], hosts: Sequence[core.Host]
) -> dict[str, list[Asking]]:
    """For each version of a tool, the jobs that fit some host now, and would fit none if that version went from all."""
    stopped: dict[str, list[Asking]] = defaultdict(list)
    for one in asked:
        if tool not in one.ranges:
            continue
        wanted = next(t for t in one.terms if isinstance(t, ToolTerm) and t.name == tool)
        fitting = [row.host for row in fit_sheet(one.terms, hosts).fitting]
        serving = [{found.version for found in meeting_term(wanted, host)} for host in fitting]
        for version in versions:
            if serving and all(serves <= {version} for serves in serving):
                stopped[version].append(one)
    return stopped

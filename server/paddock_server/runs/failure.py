"""Why a run failed, from its exit code and the end of its log, with what the likely cure would leave of the hosts."""

from __future__ import annotations

from dataclasses import asdict

from paddock_core.fit import Fitting, Requirement
from paddock_core.fleet_index import count
from paddock_core.runs.failure import MAX_LINES, StepEnd, explain_failure
from paddock_core.terms import ToolTerm, asked

from ..toolchains.catalogue import catalogue
from ..work.fence import Fences
from ..work.fleet import cached_fleet
from ..work.models import Attempt
from ..work.round import requirement_for
from .log_lines import Log


def failure_of(attempt: Attempt, log: Log) -> dict[str, object] | None:
    """As FailureSerializer describes it; None where nothing is known beyond what the run's page shows anyway."""
    if attempt.state != "failed":
        return None
    ended = [step for step in attempt.steps.all() if step.outcome in ("exited", "signalled") and step.exit_code != 0]
    step = min(ended, key=lambda one: one.number, default=None)
    if step is None:
        return None
    requirement = requirement_for(attempt.job, Fences())
    named = {one.name for term in requirement.terms for one in asked(term) if isinstance(one, ToolTerm)}
    end = StepEnd(
        step.exit_code, step.signal, attempt.memory or 0, attempt.host.facts.get("memory", 0), attempt.account
    )
    failure = explain_failure(end, _last_lines(log, step.number), catalogue().commands, named)
    if failure is None:
        return None
    return {**asdict(failure), "step": step.number, "hosts_left": _hosts_left(requirement, failure.tool)}


def _last_lines(log: Log, step: int) -> list[str]:
    """The last lines that a step printed; later steps that always run may have printed more."""
    begins = {section.step: section.line for section in log.sections()}
    if step not in begins:
        return []
    later = [line for line in begins.values() if line > begins[step]]
    end = min(later, default=log.total + 1)
    first = max(begins[step], end - MAX_LINES)
    return ["".join(span.text for span in line.spans) for line in log.lines(first, end - first) if line.step == step]


def _hosts_left(requirement: Requirement, tool: str) -> int | None:
    """How many hosts would fit if the job named the tool as well."""
    if not tool:
        return None
    wanted = Requirement((*requirement.terms, ToolTerm(tool)), requirement.slots, requirement.reach, requirement.let_in)
    with cached_fleet() as index:
        return count(Fitting(wanted, index).fits)

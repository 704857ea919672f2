"""Records the start or end of a step. A repeated report changes nothing."""

from __future__ import annotations

import re

from paddock_agent import wire

from ...changes import announce
from ...hosts.models import Host
from ...moments import moment
from ...storage import action
from ...work import open_work
from ...work.actions.record_report import attempt_called
from ..models import STEP_OUTCOMES, StepRun

_OUTCOMES = {value for value, _ in STEP_OUTCOMES}
_COMMIT = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")


@action
def record_step(host: Host, report: wire.StepBegan | wire.StepEnded) -> None:
    """One of an attempt that is not this host's, or that has no such step, is passed over."""
    attempt = attempt_called(host, report.attempt)
    if attempt is None or report.step >= max(1, len(attempt.job.steps)):
        return
    step, _ = StepRun.objects.get_or_create(attempt=attempt, number=report.step)
    match report:
        case wire.StepBegan():
            step.began_at = step.began_at or moment(report.at)
        case wire.StepEnded():
            if step.ended_at is not None:
                return
            step.outcome = report.outcome if report.outcome in _OUTCOMES else "not started"
            step.exit_code, step.signal, step.why = report.exit_code, report.signal[:20], report.why
            step.ended_at = moment(report.at)
            step.commit = report.commit if _COMMIT.fullmatch(report.commit) else ""
            if step.commit and not attempt.commit:
                open_work.changing(attempt.job)
                attempt.commit = step.commit
                attempt.save(update_fields=["commit"])
    step.save()
    announce("job", attempt.job_id)

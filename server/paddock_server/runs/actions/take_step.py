"""Takes in that a step began, or how it ended. Told twice, it changes nothing the second time."""

from __future__ import annotations

import re

from paddock_agent import wire

from ...changes import announce
from ...hosts.models import Host
from ...moments import moment
from ...storage import action
from ...work import open_work
from ...work.actions.take_report import attempt_called
from ..models import STEP_OUTCOMES, StepRun

_OUTCOMES = {value for value, _ in STEP_OUTCOMES}
_COMMIT = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")


@action
def take_step(host: Host, told: wire.StepBegan | wire.StepEnded) -> None:
    """One of an attempt that is not this host's, or that has no such step, is passed over."""
    attempt = attempt_called(host, told.attempt)
    if attempt is None or told.step >= max(1, len(attempt.job.steps)):
        return
    step, _ = StepRun.objects.get_or_create(attempt=attempt, number=told.step)
    match told:
        case wire.StepBegan():
            step.began_at = step.began_at or moment(told.at)
        case wire.StepEnded():
            if step.ended_at is not None:
                return
            step.outcome = told.outcome if told.outcome in _OUTCOMES else "not started"
            step.exit_code, step.signal, step.why = told.exit_code, told.signal[:20], told.why
            step.ended_at = moment(told.at)
            step.commit = told.commit if _COMMIT.fullmatch(told.commit) else ""
            if step.commit and not attempt.commit:
                open_work.changing(attempt.job)
                attempt.commit = step.commit
                attempt.save(update_fields=["commit"])
    step.save()
    announce("job", attempt.job_id)

"""Records an agent's report on an attempt. A repeated report changes nothing."""

from __future__ import annotations

import re

import msgspec

from paddock_agent import wire
from paddock_core.lifecycle import LIVE, Ended, Event, LeaseLost, Outcome, Refused, Started

from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER, agent_of
from ...process import connections
from ...storage import action
from .. import open_work
from ..effects import Details, advance
from ..models import Attempt

Report = wire.AttemptStarted | wire.AttemptRefused | wire.AttemptEnded

_LIVE = [state.value for state in LIVE]
_NAME = re.compile(r"([1-9][0-9]{0,17})-([1-9][0-9]{0,8})(?:-([0-9a-f]{32}))?")


def attempt_called(host: Host, name: str) -> Attempt | None:
    """The attempt of this name on this host. An agent's word on another host's attempts counts for nothing, and so does
    what it says of an attempt with the same numbers and another identity."""
    match = _NAME.fullmatch(name)
    if match is None:
        return None
    job, number, identity = match.groups(default="")
    newest = open_work.newest_of(int(job))
    if newest is not None and newest.number == int(number):
        return newest if (newest.host_id, newest.identity) == (host.pk, identity) else None
    attempts = Attempt.objects.select_related("job").filter(host=host, identity=identity)
    return attempts.filter(job_id=job, number=number).first()


@action
def record_report(host: Host, report: Report) -> None:
    """Applies the report; one on an attempt that is not this host's is passed over, and such an attempt does not
    begin."""
    attempt = attempt_called(host, report.attempt)
    if attempt is None:
        if isinstance(report, wire.AttemptStarted):
            connections.send(host.pk, wire.Abandon(attempt=report.attempt))
        return
    open_work.changing(attempt.job)
    fields: list[str] = []
    match report:
        case wire.AttemptStarted():
            if attempt.started_at is None:
                attempt.account, attempt.folder, attempt.warm = report.account, report.folder, report.warm
                attempt.variable_names, attempt.variable_values = report.variable_names, report.variable_values
                fields = ["account", "folder", "warm", "variable_names", "variable_values"]
            event: Event = Started(attempt.number)
        case wire.AttemptRefused():
            event = Refused(attempt.number, report.why)
        case wire.AttemptEnded():
            outcome = Outcome(report.outcome) if report.outcome in set(Outcome) else Outcome.NOT_STARTED
            event = Ended(attempt.number, outcome, report.exit_code, report.why)
            fields = _note_use(attempt, report)
    before = attempt.job.state
    if fields and attempt.state not in _LIVE:  # too late to change its state, and worth knowing all the same
        attempt.save(update_fields=fields)
    job = advance(attempt.job, event, Details(attempt=attempt, fields=fields))
    if job.state != before:
        write(
            agent_of(host.name),
            f"reported {job.state}",
            "job",
            str(attempt.job_id),
            host.paddock.name,
            {"host": host.name, "attempt": attempt.number},
        )


def _note_use(attempt: Attempt, report: wire.AttemptEnded) -> list[str]:
    """What it used and what it left; a number that cannot be is left out. Returns the fields."""
    if attempt.processor is not None:
        return []
    attempt.processor = report.processor if 0 < report.processor < 1e9 else None
    attempt.memory, attempt.leftover_processes = (
        report.memory or None,
        [msgspec.to_builtins(one) for one in report.leftover_processes],
    )
    return ["processor", "memory", "leftover_processes"]


@action
def lose_lease(attempt: Attempt, why: str) -> None:
    """Gives an attempt up."""
    advance(attempt.job, LeaseLost(attempt.number, why))
    write(
        SERVER,
        "gave up",
        "job",
        str(attempt.job_id),
        attempt.host.paddock.name,
        {"host": attempt.host.name, "attempt": attempt.number, "why": why},
    )

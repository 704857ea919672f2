"""Moves a rolling chore on: the core says which host does what next, this carries it out."""

from __future__ import annotations

from contextlib import suppress
from datetime import timedelta

from django.utils import timezone

from paddock_core.chores import AT_WORK, HostState, ObservedHost, is_over, moves, outcome
from paddock_core.lifecycle import ENDED, JobState
from paddock_core.verdicts import verdict

from ...changes import announce
from ...errors import ActionError
from ...hosts.actions.ask_survey import ask_survey
from ...hosts.actions.hold import drain, is_working, resume
from ...hosts.awake import is_within_reach, must_wake
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action, savepoint
from ...toolchains.models import SurveyChange
from ...toolchains.terms_input import terms_of
from ...work import open_work
from ...work.actions.cancel import cancel
from ...work.actions.place import place
from ...work.fleet import cached_fleet
from ...work.models import Job
from ..models import ChoreHost, ChoreRun

PIPELINE = "chore"
SURVEY_PATIENCE = timedelta(minutes=10)
ASK_AGAIN = timedelta(minutes=2)
"""A request goes astray when the agent's connection is cut just then."""


@action
def roll_on(run: ChoreRun) -> None:
    """Looks at every host of a run, and does what is next."""
    rows = list(run.hosts.select_related("host__paddock", "job"))
    for row in rows:
        _look(run, row)
    by_name = {row.host.name: row for row in rows}
    seen = [
        ObservedHost(row.host.name, HostState(row.state), is_within_reach(row.host), is_working(row.host))
        for row in rows
        if row.state in (HostState.WAITING.value, *AT_WORK) or row.state in ("failed", "ran but not there")
    ]
    for move in moves(run.rolling, seen, is_stopped=bool(run.stopped_by)):
        _begin(run, by_name[move.name], move.state, move.because)
    if is_over([HostState(row.state) for row in rows]):
        run.state, run.ended_at = "stopped" if run.stopped_by else "ended", timezone.now()
        run.save(update_fields=["state", "ended_at"])
        counts: dict[str, int] = {}
        for row in rows:
            counts[row.state] = counts.get(row.state, 0) + 1
        write(
            SERVER,
            "ended",
            "chore",
            run.chore.name,
            details={"run": run.pk, **{key.replace(" ", "_"): n for key, n in counts.items()}},
        )
        announce("chore", run.pk)


def _begin(run: ChoreRun, row: ChoreHost, state: HostState, because: str) -> None:
    now = timezone.now()
    if state in (HostState.UNREACHABLE, HostState.LEFT_OUT):
        _end(run, row, state, because)
        return
    if must_wake(row.host):
        _wait_for_wake(run, row)
        return
    row.began_at, row.detail = row.began_at or now, ""
    if run.drain and not row.host.holding:
        drain(SERVER, row.host, f"chore {run.chore.name}")
        row.drained = True
    row.state = state.value
    if state is HostState.RUNNING:
        row.job = _job(run, row.host)
        row.ran_at = now
        row.save()
        # Its job goes straight to the host, past holds and slots: that is what a drained host is drained for.
        place(row.job.pk, row.host, (), f"The chore {run.chore.name} is run here.")
    row.save()
    announce("chore", run.pk)


def _wait_for_wake(run: ChoreRun, row: ChoreHost) -> None:
    """Its turn has come, and it sleeps."""
    if row.wakes:
        return
    row.wakes, row.detail = True, "It is being woken."
    row.save(update_fields=["wakes", "detail"])
    announce("chore", run.pk)
    announce("host", row.host.name, row.host.paddock.name)


def _job(run: ChoreRun, host: Host) -> Job:
    job = Job.objects.create(
        name=run.chore.name,
        pipeline=PIPELINE,
        terms=[f"host {host.name}"],
        script=run.script,
        shell=run.shell,
        slots=0,
        time_limit=run.time_limit,
        is_internal=True,
        environment={"PADDOCK_CHORE": run.chore.name, "PADDOCK_CHORE_RUN": str(run.pk)},
        submitted_at=timezone.now(),
        submitted_by=run.asked_by,
    )
    open_work.accepted(job)
    return job


def _look(run: ChoreRun, row: ChoreHost) -> None:
    """What has become of a host that is at work."""
    if row.state == HostState.RUNNING.value and row.job:
        if row.job.state == JobState.WAITING.value:
            # The agent would not take it, or lost it: another time is another run.
            last = row.job.attempts.order_by("-number").first()
            cancel(SERVER, row.job)
            _end(run, row, HostState.FAILED, (last.note if last else "") or "The agent did not take it.")
        elif JobState(row.job.state) in ENDED:
            _ran(run, row)
    elif row.state == HostState.SURVEYING.value:
        if row.surveyed_at:
            _judge(run, row)
        elif row.ran_at and timezone.now() - row.ran_at > SURVEY_PATIENCE:
            _end(run, row, HostState.FAILED, "The script ran; the survey that was to prove it never came.")
        elif row.asked_at is None or timezone.now() - row.asked_at > ASK_AGAIN:
            _ask_survey(row)


def _ran(run: ChoreRun, row: ChoreHost) -> None:
    assert row.job
    attempt = row.job.attempts.order_by("-number").first()
    if row.job.state == JobState.LOST.value:
        _end(run, row, HostState.UNREACHABLE, f"It was lost while the script ran: {attempt.note if attempt else ''}")
        return
    row.state, row.ran_at = HostState.SURVEYING.value, timezone.now()
    row.save()
    announce("chore", run.pk)
    _ask_survey(row)


def _ask_survey(row: ChoreHost) -> None:
    """A host that is away just now, as after a script that restarts its network, is asked when it is back."""
    with suppress(ActionError), savepoint():
        ask_survey(SERVER, row.host, row.mark)
        row.asked_at = timezone.now()
        row.save(update_fields=["asked_at"])


def _judge(run: ChoreRun, row: ChoreHost) -> None:
    assert row.job
    since = row.began_at or row.ran_at
    found = SurveyChange.objects.filter(host=row.host, at__gte=since, kind="tool").order_by("id")[:200]
    row.changed = [
        {"what": one.what, "tool": one.name, "before": (one.before or {}).get("version", ""),
         "after": (one.after or {}).get("version", ""), "place": one.place}
        for one in found
    ]  # fmt: skip
    row.missing = missing_terms(row.host, run.wanted)
    passed = row.job.state == JobState.PASSED.value
    state = outcome(passed, row.missing)
    detail = ""
    if not passed:
        code = row.job.attempts.order_by("-number").first()
        detail = f"The script {row.job.state}{f' with exit code {code.exit_code}' if code and code.exit_code else ''}."
    elif row.missing:
        detail = f"The script passed, and still does not hold: {', '.join(row.missing)}."
    _end(run, row, state, detail)


def missing_terms(host: Host, wanted: list[str]) -> list[str]:
    """Which of the terms do not hold on a host now."""
    with cached_fleet() as index:
        seen = index.host(host.name)
    if seen is None:
        return list(wanted)
    return [text for text, term in zip(wanted, terms_of(tuple(wanted)), strict=True) if not verdict(term, seen).holds]


def _end(run: ChoreRun, row: ChoreHost, state: HostState, detail: str) -> None:
    row.state, row.detail, row.ended_at = state.value, detail[:2000], timezone.now()
    row.save()
    if row.drained:
        row.host.refresh_from_db()
        if row.host.holding:
            resume(SERVER, row.host)
    write(
        SERVER,
        f"found it {state.value} on",
        "host",
        row.host.name,
        row.host.paddock.name,
        {"chore": run.chore.name, "run": run.pk, **({"detail": detail[:300]} if detail else {})},
    )
    announce("chore", run.pk)

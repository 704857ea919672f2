"""Moves a rollout on: the core says which hosts begin, this orders it, and looks after the hosts at work."""

from __future__ import annotations

from contextlib import suppress
from datetime import timedelta
from zoneinfo import ZoneInfo

from django.utils import timezone

from paddock_agent import wire
from paddock_core.lifecycle import JobState
from paddock_core.link_state import Link
from paddock_core.rollout import AT_WORK, HostStep, Next, is_over, next_step
from paddock_core.rollout import RolloutHost as CoreHost

from ...changes import announce
from ...errors import ActionError
from ...health import watches
from ...health.actions.note_refusal import note_refusal
from ...hosts.actions.ask_survey import ask_survey
from ...hosts.actions.hold import resume
from ...hosts.awake import is_within_reach, must_wake
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...process import connections
from ...storage import action, savepoint
from ...work import open_work
from ...work.actions.cancel import cancel
from ...work.actions.place import place
from ...work.models import Job
from ..candidates import group_of, version_of
from ..kinds import kinds_of_work
from ..models import OPEN_STATES, UNFINISHED, Rollout, RolloutHost

UPGRADE_PROTOCOL = 6
"""The version of the link since which an agent nudges its watch for an upgrade."""

PIPELINE = "rollout"
SILENCE = timedelta(minutes=15)
"""How long nothing is heard of an upgrade before its host counts as unreachable. It goes on when it is heard again."""
SURVEY_AFTER = timedelta(seconds=45)
"""An agent surveys when it starts. Later than this the server asks."""
PROOF_SECONDS = 120
FAILED = (JobState.FAILED.value, JobState.TIMED_OUT.value)
"""Ends of a proof that speak against the version. One that was lost is tried again."""
PROOFS = {"windows": "hostname\nwhoami\npwd\n"}
PROOF = 'echo "host:    $(hostname)"\necho "account: $(id -un)"\necho "folder:  $(pwd)"\n'


@action
def roll_on(rollout: Rollout) -> None:
    """Looks at every host of a rollout, and does what is next."""
    rows = list(rollout.hosts.select_related("host__paddock", "host__health", "proof"))
    for row in rows:
        if row.host.standing != Host.Standing.ADMITTED and row.step in UNFINISHED:
            end(row, HostStep.LEFT_OUT, f"It is {row.host.standing}.")
        elif row.step == HostStep.SWITCHED.value:
            _prove(row)
        if HostStep(row.step) in AT_WORK and row.heard_at and timezone.now() - row.heard_at > SILENCE:
            _give_up(row)
    by_name = {row.host.name: row for row in rows}
    found = next_of(rollout, rows)
    for name in found.begin:
        if must_wake(by_name[name].host):
            _wait_for_wake(by_name[name])
        else:
            _order(by_name[name])
    for name in found.away:
        _step(by_name[name], HostStep.UNREACHABLE, "Its agent is not connected. It begins when it is back.")
    for name in found.left_out:
        end(by_name[name], HostStep.LEFT_OUT, found.reason)
    if found.reason and rollout.state in OPEN_STATES and not rollout.reason:
        rollout.reason, rollout.state, rollout.ended_at = found.reason, "stopped", timezone.now()
        rollout.save(update_fields=["reason", "state", "ended_at"])
        write(SERVER, "stopped", "rollout", str(rollout.pk), details={"reason": found.reason})
        announce("rollout", rollout.pk)
    elif rollout.state == "rolling" and is_over([HostStep(row.step) for row in rows]):
        rollout.state, rollout.ended_at = "ended", timezone.now()
        rollout.save(update_fields=["state", "ended_at"])
        counts: dict[str, int] = {}
        for row in rows:
            counts[row.step] = counts.get(row.step, 0) + 1
        write(SERVER, "ended", "rollout", str(rollout.pk), details={k.replace(" ", "_"): n for k, n in counts.items()})
        announce("rollout", rollout.pk)


def _give_up(row: RolloutHost) -> None:
    """Nothing is heard of an upgrade. A host that is off goes on when it is back."""
    why = f"Nothing was heard of its upgrade for {SILENCE.seconds // 60} minutes"
    if row.host.link == Link.CONNECTED:
        end(row, HostStep.LEFT_OUT, f"{why}, though its agent is connected. Look at its watch.")
    else:
        _step(row, HostStep.UNREACHABLE, f"{why}. It goes on when the host is back.")


def next_of(rollout: Rollout, rows: list[RolloutHost]) -> Next:
    """What the core says of a rollout now."""
    now = timezone.now()
    zone = ZoneInfo(rollout.hours["zone"]) if rollout.hours else None
    hosts = [
        CoreHost(
            row.host.name,
            row.host.paddock.name,
            row.wave,
            HostStep(row.step),
            is_within_reach(row.host),
            _is_ready(row.host),
            row.ended_at.timestamp() if row.ended_at else 0.0,
            group_of(row.host),
        )
        for row in rows
        if not (row.step == HostStep.LEFT_OUT.value and row.begun_at is None)
    ]
    waits = any(one.step in (HostStep.WAITING, HostStep.UNREACHABLE) and one.is_there for one in hosts)
    kinds = kinds_of_work() if waits else {}
    is_paused = rollout.state == "paused"
    return next_step(rollout.rules, hosts, kinds, now.timestamp(), now.astimezone(zone), is_paused=is_paused)


def _is_ready(host: Host) -> bool:
    return host.link == Link.CONNECTED and not host.holding and not host.cannot


def _wait_for_wake(row: RolloutHost) -> None:
    """Its turn has come, and it sleeps. It takes its place among those at work until it is up."""
    if not row.wakes:
        row.wakes = True
        _step(row, HostStep.WAITING, "It is being woken.")


def _order(row: RolloutHost) -> None:
    now = timezone.now()
    row.begun_at = row.begun_at or now
    row.heard_at = now
    _step(row, HostStep.INSTALLING)
    watches.add_order(row.host_id, row.pk)
    connections.send_since(UPGRADE_PROTOCOL, row.host_id, wire.Upgrade())
    details = {"rollout": row.rollout_id, "from": row.before, "to": row.version}
    write(SERVER, "began to upgrade", "host", row.host.name, row.host.paddock.name, details)


def _step(row: RolloutHost, step: HostStep, detail: str = "") -> None:
    row.step, row.detail = step.value, detail[:2000]
    row.save()
    announce("rollout", row.rollout_id)
    announce("host", row.host.name, row.host.paddock.name)


def _prove(row: RolloutHost) -> None:
    """Connected with the new version, surveyed, and a job has passed: then it is proven."""
    host, now = row.host, timezone.now()
    if host.link != Link.CONNECTED or version_of(host) != row.version:
        return
    if row.connected_at is None:
        row.connected_at = now
        row.save(update_fields=["connected_at"])
    if row.surveyed_at is None and now - row.connected_at > SURVEY_AFTER:
        with suppress(ActionError), savepoint():
            ask_survey(SERVER, host, f"rollout {row.pk}")
    job = row.proof
    if job is None or job.state in (JobState.WAITING.value, JobState.LOST.value):
        if job is not None and job.state == JobState.WAITING.value:  # the agent refused it
            cancel(SERVER, job)
        row.proof = _job(row)
        row.save(update_fields=["proof"])
        place(row.proof.pk, host, (), f"It proves the agent {row.version}.")
        return
    if job.state == JobState.PASSED.value and row.surveyed_at is not None:
        end(row, HostStep.PROVEN)


def proof_failed(row: RolloutHost) -> str:
    """Why the new version must not stay, "" where it may."""
    job = row.proof
    if job is None or job.state not in FAILED:
        return ""
    attempt = job.attempts.order_by("-number").first()
    note = f": {attempt.note}" if attempt and attempt.note else ""
    return f"Its proof, job {job.pk}, {job.state}{note}."


def _job(row: RolloutHost) -> Job:
    system = row.host.facts.get("os", "")
    job = Job.objects.create(
        name=f"prove {row.host.name} with {row.version}"[:100],
        pipeline=PIPELINE,
        terms=[f"host {row.host.name}"],
        script=PROOFS.get(system, PROOF),
        slots=0,
        time_limit=PROOF_SECONDS,
        is_internal=True,
        submitted_at=timezone.now(),
        submitted_by=row.rollout.asked_by,
    )
    open_work.accepted(job)
    return job


def end(row: RolloutHost, step: HostStep, detail: str = "") -> None:
    """A host's end in its rollout: it takes jobs again, if the rollout held it."""
    row.ended_at = timezone.now()
    watches.remove_order(row.host_id)
    note_refusal(row.host, row.version if step is HostStep.WENT_BACK else "", detail, proven=step is HostStep.PROVEN)
    _step(row, step, detail)
    if row.drained:
        row.host.refresh_from_db()
        is_inside = row.host.standing == Host.Standing.ADMITTED
        if is_inside and row.host.holding and row.host.hold_reason == hold_reason(row):
            resume(SERVER, row.host)
    about = {"rollout": row.rollout_id, "version": row.version, **({"detail": detail[:300]} if detail else {})}
    write(SERVER, f"found the upgrade {step.value} on", "host", row.host.name, row.host.paddock.name, about)


def hold_reason(row: RolloutHost) -> str:
    """The reason with which a rollout holds a host."""
    return f"upgrade to {row.version} (rollout {row.rollout_id})"

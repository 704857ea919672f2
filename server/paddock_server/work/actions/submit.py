"""Takes a job in: it waits, with its reason, until the dispatcher places it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import asdict, dataclass, field

from django.utils import timezone

from paddock_core.errors import ShellError
from paddock_core.lifecycle import ENDED, JobState
from paddock_core.pipeline_file import Checkout, WantedStep
from paddock_core.reasons import Reason, ReasonKind, why_waiting
from paddock_core.shells import implied_terms, refuse_unknown_shell, scripts_of

from ...changes import announce
from ...errors import Invalid
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import about_jobs, requires_anywhere
from ...pipeline_secrets.access import demand_for_pipeline
from ...storage import action
from ...storage.rows import insert
from ...toolchains.terms_input import read_asked
from .. import dispatcher, open_work
from ..fence import fences
from ..fleet import cached_fleet
from ..models import Job, Submission
from ..round import behind_others, requirement_for, set_reason
from ..visible import visible_jobs


@dataclass(frozen=True)
class WantedJob:
    """What a job is to be. ``lines`` are its terms, and preferences that begin with ``prefer``; ``after`` are numbers
    of jobs that have to pass first. A job that ``waits_for_new_host`` may ask for more slots than any host has."""

    name: str
    pipeline: str
    lines: Sequence[str]
    script: str
    shell: str = ""
    slots: int = 1
    priority: int = 0
    time_limit: int = 0
    retries: int = 0
    waits_for_new_host: bool = False
    after: Sequence[int] = ()
    environment: Mapping[str, str] = field(default_factory=dict)
    outputs: Sequence[str] = ()
    steps: Sequence[WantedStep] = ()
    secrets: Sequence[str] = ()
    tests: Sequence[str] = ()
    warm: bool = False


@action
@about_jobs
@requires_anywhere(Role.OPERATOR, "Submitting a job")
def submit(
    actor: Actor,
    wanted: WantedJob,
    *,
    submission: Submission | None = None,
    is_internal: bool = False,
    rerun_of: Job | None = None,
) -> Job:
    """Raises Invalid for terms that cannot be read, or that no host can meet together; for more slots than any host
    has, unless the job waits for a new host; and for secrets that its pipeline may not have.

    A job of a person whose role reaches only some paddocks goes only into those, and one with secrets only to where
    all of them are given.
    """
    asked = read_asked(wanted.lines, [] if is_internal else _implied(wanted))
    after = list(dict.fromkeys(wanted.after))
    _demand_to_come_after(actor, after)
    from_source = submission is not None and submission.source_id is not None
    for place, step in enumerate(wanted.steps):
        if step.checkout and not step.checkout.url:
            detail = "A checkout without an address takes that of the Git source, and this job comes from none."
            raise Invalid(detail, errors=[{"pointer": f"/steps/{place}/checkout", "detail": detail}])
    reach = _reach(actor, demand_for_pipeline(wanted.secrets, wanted.pipeline, from_source=from_source))
    job = Job(
        name=wanted.name,
        pipeline=wanted.pipeline,
        submission=submission,
        terms=[str(term) for term in asked.terms],
        prefers=[str(term) for term in asked.prefers],
        script=wanted.script,
        shell=wanted.shell,
        slots=wanted.slots,
        priority=wanted.priority,
        time_limit=wanted.time_limit,
        retries_left=wanted.retries,
        waits_for_new_host=wanted.waits_for_new_host,
        after=after,
        environment=dict(wanted.environment),
        outputs=list(wanted.outputs),
        steps=[asdict(step) for step in wanted.steps],
        secrets=list(wanted.secrets),
        tests=list(wanted.tests),
        warm=wanted.warm,
        rerun_of=rerun_of.pk if rerun_of else None,
        paddocks=reach,
        is_internal=is_internal,
        submitted_at=timezone.now(),
        submitted_by=actor.name,
    )
    reason = why_it_waits(job)
    if not job.waits_for_new_host:
        _demand_slots(job, reason)
    if after and (later := behind_others([job]).get(job.pk)):
        reason = later
    set_reason(job, reason)
    insert(job)
    open_work.accepted(job)
    write(
        actor, "submitted", "job", str(job.pk), details={"name": job.name, "pipeline": job.pipeline, "terms": job.terms}
    )
    announce("job", job.pk)
    dispatcher.wake_after_commit()
    return copy(job)


def _implied(wanted: WantedJob) -> list[str]:
    """The terms that its shells imply. Raises Invalid for a shell that no agent knows."""
    named = [("/shell", wanted.shell), *((f"/steps/{i}/shell", step.shell) for i, step in enumerate(wanted.steps))]
    for pointer, shell in named:
        try:
            refuse_unknown_shell(shell)
        except ShellError as error:
            pointed = {"pointer": pointer, "detail": str(error), "nearest": error.nearest}
            raise Invalid(str(error), errors=[pointed]) from None
    return implied_terms(shell for _, shell in scripts_of(wanted.script, wanted.shell, wanted.steps))


def implied_by(job: Job) -> list[str]:
    """The terms that a job's shells imply."""
    if job.is_internal:
        return []
    return implied_terms(shell for _, shell in scripts_of(job.script, job.shell, steps_of(job)))


def steps_of(job: Job) -> list[WantedStep]:
    """The steps of a job as values; none where it has one script."""
    return [
        WantedStep(**{**step, "checkout": Checkout(**step["checkout"]) if step["checkout"] else None})
        for step in job.steps
    ]


def _reach(actor: Actor, given_in: frozenset[str] | None) -> list[str]:
    """The paddocks that a job may go into, none for all of them. Raises Invalid where there is none."""
    own = actor.where(Role.OPERATOR)
    if given_in is None:
        return list(own or [])
    inside = sorted(given_in if own is None else given_in & set(own))
    if not inside:
        detail = f"Its secrets are given in {', '.join(sorted(given_in))} only, and your role does not reach there."
        raise Invalid(detail, errors=[{"pointer": "/secrets", "detail": detail}])
    return inside


def _demand_slots(job: Job, reason: Reason) -> None:
    """A job that asks for more slots than any host has would wait for ever, whatever else it waits for."""
    sentence = reason.sentence if reason.kind is ReasonKind.TOO_MANY_SLOTS else ""
    with cached_fleet() as index:
        admitted = index.hosts_in(index.in_paddocks(job.paddocks or None) & index.state("admitted"))
    most = max((host.slots for host in admitted), default=job.slots)
    if job.slots > most:
        sentence = f"It asks for {job.slots} slots, and no host has more than {most}."
    if sentence:
        sentence += " Ask for fewer, or say that it waits for a new host."
        raise Invalid(sentence, errors=[{"pointer": "/slots", "detail": sentence}])


def why_it_waits(job: Job) -> Reason:
    """The reason as of now, without a round."""
    requirement = requirement_for(job, fences())
    with cached_fleet() as index:
        return why_waiting(requirement, index)


def _demand_to_come_after(actor: Actor, jobs: Sequence[int]) -> None:
    states = dict(visible_jobs(actor).filter(pk__in=jobs).values_list("pk", "state")) if jobs else {}
    for pk in jobs:
        if pk not in states:
            raise Invalid(f"No job {pk} exists for `after`.")
        if JobState(states[pk]) in ENDED - {JobState.PASSED}:
            raise Invalid(f"Job {pk} {states[pk]}: a job that comes after it could never run.")

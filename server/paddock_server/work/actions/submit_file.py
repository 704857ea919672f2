"""Sends all jobs of a pipeline file together."""

from __future__ import annotations

from dataclasses import replace

from django.utils import timezone

from paddock_core.pipeline_file import FileMistakes, Level, PipelineFile, WantedStep, read_pipeline, remarks_on

from ...errors import Invalid, NotAllowed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import about_jobs, requires_anywhere
from ...storage import action
from ...toolchains.catalogue import catalogue
from ...toolchains.fleet_vocabulary import words as known_words
from ..fence import Fences
from ..fleet import cached_fleet
from ..models import Job, Source, Submission
from ..yaml_text import Placed, read_yaml
from .submit import WantedJob, submit


@action
@about_jobs
@requires_anywhere(Role.OPERATOR, "Submitting jobs")
def submit_file(
    actor: Actor, text: str, *, source: Source | None = None, ref: str = "", commit: str = ""
) -> tuple[Submission, list[Job]]:
    """All jobs of the file or none. Raises Invalid with every mistake and its line."""
    file, places = read_file(text)
    submission = Submission.objects.create(
        pipeline=file.pipeline,
        source=source,
        ref=ref,
        commit=commit,
        submitted_at=timezone.now(),
        submitted_by=actor.name,
    )
    numbers: dict[str, int] = {}
    jobs = []
    given = {"PADDOCK_COMMIT": commit, "PADDOCK_REF": ref, "PADDOCK_SOURCE": source.url if source else ""}
    for wanted in file.jobs:
        job = WantedJob(
            wanted.name,
            file.pipeline,
            [line for _, line in wanted.lines],
            wanted.script,
            wanted.shell,
            wanted.slots,
            wanted.priority,
            wanted.time_limit,
            wanted.retry_when_lost,
            wanted.waits_for_new_host,
            [numbers[name] for name in wanted.after],
            {**wanted.environment, **{name: value for name, value in given.items() if value}},
            # The tests are kept files like others, and read besides.
            list(dict.fromkeys([*wanted.outputs, *wanted.tests])),
            [_with_source(step, submission) for step in wanted.steps],
            wanted.secrets,
            wanted.tests,
            wanted.warm,
        )
        try:
            sent = submit(actor, job, submission=submission)
        except Invalid as error:
            line = places.line(("jobs", wanted.name))
            raise Invalid(f"Line {line}, the job {wanted.name}: {error.detail}", **error.extra) from None
        numbers[wanted.name] = sent.pk
        jobs.append(sent)
    where = {"commit": commit, "ref": ref, "source": source.url} if source else {}
    write(actor, "submitted", "pipeline", file.pipeline, details={"jobs": [job.pk for job in jobs], **where})
    return submission, jobs


def _with_source(step: WantedStep, submission: Submission) -> WantedStep:
    """A checkout that names no address is that of the source, at the commit that the file was read at."""
    if not step.checkout or step.checkout.url or not submission.source:
        return step
    url, ref = submission.source.url, step.checkout.ref or submission.ref
    commit = step.checkout.commit or ("" if step.checkout.ref else submission.commit)
    return replace(step, checkout=replace(step.checkout, url=url, ref=ref, commit=commit))


def read_file(text: str) -> tuple[PipelineFile, Placed]:
    """A pipeline file and where everything stands in it. Raises Invalid with all mistakes."""
    placed = read_yaml(text)
    try:
        return read_pipeline(placed.data, known_words()), placed
    except FileMistakes as error:
        shown = [placed.shown(one) for one in error.remarks]
        remarks = "; ".join(f"line {one['line']}: {one['sentence']}" for one in shown[:5])
        more = f"; and {len(shown) - 5} more" if len(shown) > 5 else ""
        errors = [{"pointer": one["pointer"], "detail": one["sentence"], **one} for one in shown]
        raise Invalid(remarks + more, errors=errors) from None


def lint_file(actor: Actor, text: str) -> list[dict[str, object]]:
    """All remarks on a file: its mistakes, or else the remarks of the fleet."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Asking what fits needs the role viewer. Ask an administrator for it.")
    placed = read_yaml(text)
    words = known_words()
    try:
        file = read_pipeline(placed.data, words)
    except FileMistakes as error:
        return [placed.shown(one) for one in error.remarks]
    seen = actor.where(Role.VIEWER)
    with cached_fleet() as index:
        found = remarks_on(
            file,
            index,
            words,
            catalogue().commands,
            None if seen is None else frozenset(seen),
            Fences().letting_in(file.pipeline),
        )
    order = list(Level)
    return [placed.shown(one) for one in sorted(found, key=lambda one: order.index(one.level))]

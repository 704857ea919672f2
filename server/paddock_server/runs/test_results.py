"""The tests of an attempt, read from those of its kept files that its job calls its tests."""

from __future__ import annotations

from dataclasses import replace

from paddock_agent import wire
from paddock_agent.errors import BadPattern
from paddock_core.runs.junit import Case, UnreadableTests, newly_failing, read_junit
from paddock_core.runs.log_text import shown_marks

from ..pipeline_secrets.access import values_to_cover
from ..work.models import Attempt
from .models import LeftOut, Output, TestCase

MAX_CASES = 20_000


def read_results(output: Output) -> None:
    """Reads a file that has come whole, if it is one of the job's tests. One that cannot be read is listed among the
    left out."""
    attempt = output.attempt
    patterns = attempt.job.tests
    if not any(_is_meant(output.path, one) for one in patterns):
        return
    try:
        found = read_junit(output.file.read_bytes())
    except UnreadableTests as error:
        LeftOut.objects.create(attempt=attempt, reason=f"The tests in {output.path[:300]} cannot be read: {error}.")
        return
    masker = wire.Masker(values_to_cover(attempt.job.secrets))
    found = [_shown(one, masker) for one in found]
    room = max(0, MAX_CASES - attempt.test_cases.count())
    new = newly_failing(found, cases_before(attempt))
    TestCase.objects.bulk_create(
        (
            TestCase(
                attempt=attempt, suite=one.suite, name=one.name, outcome=one.outcome, seconds=one.seconds,
                message=one.message, newly=(one.suite, one.name) in new,
            )
            for one in found[:room]
        ),
        batch_size=500,
    )  # fmt: skip


def _shown(case: Case, masker: wire.Masker) -> Case:
    """With secrets covered, and with marks that reorder text shown as what they are."""
    suite, name, message = (shown_marks(masker.cover(one)) for one in (case.suite, case.name, case.message))
    return replace(case, suite=suite[:500], name=name[:500], message=message[:4000])


def _is_meant(path: str, pattern: str) -> bool:
    try:
        return wire.file_pattern(pattern).matches(path)
    except BadPattern:  # of a job from before patterns were bounded
        return False


def cases_before(attempt: Attempt) -> list[Case] | None:
    """The tests of the last run of the same job before this one, None where there is none."""
    job = attempt.job
    before = (
        Attempt.objects.filter(job__pipeline=job.pipeline, job__name=job.name, pk__lt=attempt.pk)
        .filter(test_cases__isnull=False)
        .order_by("-pk")
        .first()
    )
    if before is None:
        return None
    return [Case(*one) for one in before.test_cases.values_list("suite", "name", "outcome", "seconds")]

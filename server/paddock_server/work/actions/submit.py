"""Takes a job in: it waits, with its reason, until the dispatcher places it."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.utils import timezone

from paddock_core.errors import ContradictionError, TermError
from paddock_core.fit import fit_sheet
from paddock_core.reasons import why_waiting
from paddock_core.terms import MOST, Term, parse_term, parse_terms

from ...errors import Invalid, NotAllowed
from ...link import feed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...toolchains.catalogue import catalogue
from .. import dispatcher
from ..fleet import fleet
from ..models import Job
from ..round import set_reason


def read_terms(texts: Sequence[str]) -> tuple[Term, ...]:
    """Reads terms for a person: raises Invalid with every wrong one, its place, column and nearest word."""
    if len(texts) > MOST:
        raise Invalid(f"A job has at most {MOST} terms; these are {len(texts)}.")
    words = catalogue().words
    errors = []
    for number, text in enumerate(texts):
        try:
            parse_term(text, words)
        except TermError as error:
            errors.append(
                {
                    "pointer": f"/terms/{number}",
                    "detail": error.sentence(),
                    "column": error.column,
                    "expected": list(error.expected),
                    "nearest": error.nearest,
                }
            )
    if errors:
        said = "; ".join(f"term {int(str(e['pointer']).rsplit('/')[-1]) + 1}, {e['detail']}" for e in errors[:5])
        raise Invalid(said, errors=errors)
    try:
        return parse_terms(texts, words)
    except ContradictionError as error:
        pointed = [{"pointer": f"/terms/{i}", "detail": str(error)} for i in (error.first, error.second)]
        raise Invalid(f"Terms {error.first + 1} and {error.second + 1}: {error}", errors=pointed) from None


@transaction.atomic
def submit(
    actor: Actor,
    name: str,
    pipeline: str,
    terms: Sequence[str],
    script: str,
    *,
    shell: str = "",
    priority: int = 0,
    time_limit: int = 0,
    retries: int = 0,
) -> Job:
    """Raises Invalid for terms that cannot be read, or that no host can meet together.

    A job of somebody whose role reaches only some paddocks goes only into those.
    """
    if not actor.may_anywhere(Role.OPERATOR):
        raise NotAllowed("Submitting a job needs the role operator. Ask an administrator for it.")
    read = read_terms(terms)
    inside = actor.where(Role.OPERATOR)
    job = Job(
        name=name,
        pipeline=pipeline,
        terms=[str(term) for term in read],
        script=script,
        shell=shell,
        priority=priority,
        time_limit=time_limit,
        retries_left=retries,
        paddocks=list(inside or []),
        submitted_at=timezone.now(),
        submitted_by=actor.name,
    )
    set_reason(job, why_waiting(fit_sheet(read, fleet(inside))))
    job.save()
    write(actor, "submitted", "job", str(job.pk), name=name, pipeline=pipeline, terms=job.terms)
    feed.tell("job", job.pk)
    dispatcher.wake_after_commit()
    return job

"""Who may have a secret: by the pipeline of a job, where the job came from, and the paddock of the host."""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Sequence

from django.utils import timezone

from ..errors import Invalid, NotNow
from ..patterns import matches_any
from ..sealing import unseal
from .models import PipelineSecret

ANY = "*"


def demand_for_pipeline(names: Sequence[str], pipeline: str, *, from_source: bool) -> frozenset[str] | None:
    """The paddocks in which all the secrets may be given, None for any. Raises Invalid for those that the pipeline may
    not have, in the same words as for those that are not there: a name tells nothing."""
    known = {one.name: one for one in PipelineSecret.objects.filter(name__in=names)} if names else {}
    paddocks: frozenset[str] | None = None
    for name in names:
        one = known.get(name)
        if one is None or not matches_any(pipeline, one.pipelines):
            raise _refused(f"The pipeline {pipeline} has no secret {name}.")
        if one.sources_only and not from_source:
            raise _refused(f"The secret {name} is only for jobs that are read from a Git source.")
        if ANY not in one.paddocks:
            inside = frozenset(one.paddocks)
            paddocks = inside if paddocks is None else paddocks & inside
    if paddocks is not None and not paddocks:
        raise _refused(f"No paddock may use all of {', '.join(names)}.")
    return paddocks


def _refused(detail: str) -> Invalid:
    return Invalid(detail, errors=[{"pointer": "/secrets", "detail": detail}])


def values_for(names: Sequence[str], pipeline: str, paddock: str, attempt: str) -> dict[str, str]:
    """The values, for one attempt. Raises NotNow for one that is gone, or that is not given there any more."""
    found = {one.name: one for one in PipelineSecret.objects.filter(name__in=names)}
    for name in names:
        one = found.get(name)
        if one is None or not matches_any(pipeline, one.pipelines) or not _is_given_in(one.paddocks, paddock):
            raise NotNow(f"The secret {name} is not given to {pipeline} in {paddock} any more.")
    values = {name: unseal(name, bytes(found[name].sealed)) for name in names}
    PipelineSecret.objects.filter(name__in=names).update(given_at=timezone.now(), given_to=attempt)
    return values


def values_to_cover(names: Sequence[str]) -> list[str]:
    """The values as they are now, to cover them in what a job brings; those that cannot be opened are left out."""
    values = []
    for one in PipelineSecret.objects.filter(name__in=names):
        with contextlib.suppress(NotNow):
            values.append(unseal(one.name, bytes(one.sealed)))
    return values


def _is_given_in(paddocks: Collection[str], paddock: str) -> bool:
    return ANY in paddocks or paddock in paddocks

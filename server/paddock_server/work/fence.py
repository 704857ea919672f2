"""Which paddocks let a pipeline in: those with a pattern in their fence that its name matches."""

from __future__ import annotations

from ..hosts.models import Paddock
from ..patterns import matches_any
from ..process.state import part
from ..storage import is_writer
from .changed_hosts import paddocks_edition
from .models import Job


class Fences:
    """The fences of all paddocks, as of when this was made. Better had from ``fences``."""

    def __init__(self) -> None:
        self._patterns = {name: tuple(patterns) for name, patterns in Paddock.objects.values_list("name", "pipelines")}
        self._by_pipeline: dict[str, frozenset[str] | None] = {}

    def letting_in(self, pipeline: str) -> frozenset[str] | None:
        """The paddocks that let a pipeline in; None for all of them."""
        if pipeline not in self._by_pipeline:
            inside = frozenset(name for name, listed in self._patterns.items() if matches_any(pipeline, listed))
            self._by_pipeline[pipeline] = None if len(inside) == len(self._patterns) else inside
        return self._by_pipeline[pipeline]

    def of_job(self, job: Job) -> frozenset[str] | None:
        """The same for a job, which may have been let into others this once."""
        inside = self.letting_in(job.pipeline)
        return inside | set(job.let_in) if inside is not None and job.let_in else inside


class _Cache:
    fences: tuple[int, Fences] | None = None


def fences() -> Fences:
    """The fences as they are now; the writer of a running server reads them again only after one has changed."""
    if not is_writer():
        return Fences()
    edition, kept = paddocks_edition(), part(_Cache)
    if kept.fences is None or kept.fences[0] != edition:
        kept.fences = edition, Fences()
    return kept.fences[1]

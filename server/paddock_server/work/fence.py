"""Which paddocks let a pipeline in: those with a pattern in their fence that its name matches."""

from __future__ import annotations

import re
from collections.abc import Collection
from functools import lru_cache

from ..errors import Invalid
from ..hosts.models import Paddock
from .models import Job

ANY = "*"
MOST_PATTERNS = 200
_PATTERN = re.compile(r"[A-Za-z0-9 ._/+*-]{1,100}")


class Fences:
    """The fences of all paddocks, as of when this was made."""

    def __init__(self) -> None:
        self._patterns = {name: tuple(patterns) for name, patterns in Paddock.objects.values_list("name", "pipelines")}
        self._by_pipeline: dict[str, frozenset[str] | None] = {}

    def letting_in(self, pipeline: str) -> frozenset[str] | None:
        """The paddocks that let a pipeline in; None for all of them."""
        if pipeline not in self._by_pipeline:
            inside = frozenset(name for name, listed in self._patterns.items() if is_let_in(pipeline, listed))
            self._by_pipeline[pipeline] = None if len(inside) == len(self._patterns) else inside
        return self._by_pipeline[pipeline]

    def of_job(self, job: Job) -> frozenset[str] | None:
        """The same for a job, which may have been let into others this once."""
        inside = self.letting_in(job.pipeline)
        return inside | set(job.let_in) if inside is not None and job.let_in else inside


def is_let_in(pipeline: str, patterns: Collection[str]) -> bool:
    """Whether a pipeline's name matches one of the patterns, in which ``*`` stands for anything."""
    return any(_expression(pattern).fullmatch(pipeline) for pattern in patterns)


@lru_cache(maxsize=4096)
def _expression(pattern: str) -> re.Pattern[str]:
    # Each star takes no more than it must before the next fixed part, so that no name can make it backtrack.
    return re.compile("".join(".*" if part == ANY else re.escape(part) for part in re.split(r"(\*)", pattern)), re.I)


def clean_patterns(patterns: Collection[str]) -> list[str]:
    """Without repeats and stray spaces. Raises Invalid for what is no pattern."""
    cleaned = list(dict.fromkeys(" ".join(one.split()) for one in patterns))
    if len(cleaned) > MOST_PATTERNS:
        raise Invalid(f"A fence lists at most {MOST_PATTERNS} patterns; these are {len(cleaned)}.")
    for place, pattern in enumerate(cleaned):
        if not _PATTERN.fullmatch(pattern) or pattern.count(ANY) > 3:
            detail = (
                f'"{pattern[:60]}" is no pattern: the name of a pipeline, in which * (at most three) is for anything.'
            )
            raise Invalid(detail, errors=[{"pointer": f"/pipelines/{place}", "detail": detail}])
    return cleaned

"""Names by pattern, in which ``*`` stands for anything: of pipelines in fences, and in what secrets are for."""

from __future__ import annotations

import re
from collections.abc import Collection
from functools import lru_cache

from .errors import Invalid

ANY = "*"
MOST_PATTERNS = 200
_PATTERN = re.compile(r"[A-Za-z0-9 ._/+*-]{1,100}")


def matches_any(name: str, patterns: Collection[str]) -> bool:
    """Whether a name matches one of the patterns."""
    return any(_expression(pattern).fullmatch(name) for pattern in patterns)


@lru_cache(maxsize=4096)
def _expression(pattern: str) -> re.Pattern[str]:
    # Each star takes no more than it must before the next fixed part, so that no name can make it backtrack.
    return re.compile("".join(".*" if part == ANY else re.escape(part) for part in re.split(r"(\*)", pattern)), re.I)


def clean_patterns(patterns: Collection[str]) -> list[str]:
    """Without repeats and stray spaces. Raises Invalid for what is no pattern."""
    cleaned = list(dict.fromkeys(" ".join(one.split()) for one in patterns))
    if len(cleaned) > MOST_PATTERNS:
        raise Invalid(f"At most {MOST_PATTERNS} patterns go together; these are {len(cleaned)}.")
    for place, pattern in enumerate(cleaned):
        if not _PATTERN.fullmatch(pattern) or pattern.count(ANY) > 3:
            detail = (
                f'"{pattern[:60]}" is no pattern: the name of a pipeline, in which * (at most three) is for anything.'
            )
            raise Invalid(detail, errors=[{"pointer": f"/pipelines/{place}", "detail": detail}])
    return cleaned

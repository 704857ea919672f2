"""Names by pattern, in which ``*`` stands for anything: of pipelines in fences, and in what secrets are for."""

from __future__ import annotations

import re
from collections.abc import Collection

from .errors import Invalid

ANY = "*"
MAX_PATTERNS = 200
_PATTERN = re.compile(r"[A-Za-z0-9 ._/+*-]{1,100}")


def matches_any(name: str, patterns: Collection[str]) -> bool:
    """Whether a name matches one of the patterns, whatever its case."""
    return any(_matches(name.casefold(), pattern.casefold()) for pattern in patterns)


def _matches(name: str, pattern: str) -> bool:
    """Each fixed part is looked for once, from where the one before ends: no name makes it go back."""
    first, *others = pattern.split(ANY)
    if not others:
        return name == pattern
    *middle, last = others
    place, end = len(first), len(name) - len(last)
    if place > end or not name.startswith(first) or not name.endswith(last):
        return False
    for part in middle:
        found = name.find(part, place, end)
        if found < 0:
            return False
        place = found + len(part)
    return True


def clean_patterns(patterns: Collection[str]) -> list[str]:
    """Without repeats and stray spaces. Raises Invalid for an invalid pattern."""
    cleaned = list(dict.fromkeys(" ".join(one.split()) for one in patterns))
    if len(cleaned) > MAX_PATTERNS:
        raise Invalid(f"At most {MAX_PATTERNS} patterns go together; these are {len(cleaned)}.")
    for place, pattern in enumerate(cleaned):
        if not _PATTERN.fullmatch(pattern) or pattern.count(ANY) > 3:
            detail = (
                f'"{pattern[:60]}" is not a pattern. Write the name of a pipeline; * (at most three) matches anything.'
            )
            raise Invalid(detail, errors=[{"pointer": f"/pipelines/{place}", "detail": detail}])
    return cleaned

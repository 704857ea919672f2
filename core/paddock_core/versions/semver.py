"""Semantic Versioning 2.0.0: dotted numbers, then identifiers of a pre-release, before the release and by section 11.

Fewer or more than three numbers are taken too, missing ones as 0, and a leading ``v``. What follows a ``+`` does not
order, as section 10 says.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version, identifiers, numbers, refuse_others, without_trailing_zeros

_WHOLE = re.compile(r"v?(\d+(?:\.\d+)*)(?:-([0-9A-Za-z.-]+))?(?:\+[0-9A-Za-z.-]*)?", re.IGNORECASE)


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError."""
    refuse_others(text, r"0-9A-Za-z.+-")
    shown = text.strip()
    found = _WHOLE.fullmatch(shown)
    if found is None:
        longest = _WHOLE.match(shown)
        column = len(text) - len(text.lstrip()) + (longest.end() if longest else 0) + 1
        raise VersionError(text, column, "such a version is written as 20.11.0 or 9.0.100-preview.1")
    release, early = numbers(found.group(1)), found.group(2) or ""
    key = (without_trailing_zeros(release), (0, identifiers(early)) if early else (1, ()))
    return Version(shown, "semver", release, key, key, is_early=bool(early))

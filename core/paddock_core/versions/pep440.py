"""Versions of Python packages, in the order of PEP 440 as the packaging library has it.

Epoch, release without trailing zeros, then: development releases before pre-releases (``a``, ``b``, ``rc``) before the
release before post-releases, and last the local label, whose numbers come after its words.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version, numbers, without_trailing_zeros

_WHOLE = re.compile(
    r"""v?(?:(?P<epoch>\d+)!)?(?P<release>\d+(?:\.\d+)*)
        (?:[-_.]?(?P<early>alpha|a|beta|b|preview|pre|c|rc)[-_.]?(?P<early_number>\d+)?)?
        (?P<post>-(?P<bare_post>\d+)|[-_.]?(?:post|rev|r)[-_.]?(?P<post_number>\d+)?)?
        (?P<dev>[-_.]?dev[-_.]?(?P<dev_number>\d+)?)?
        (?:\+(?P<local>[a-z0-9]+(?:[-_.][a-z0-9]+)*))?""",
    re.VERBOSE | re.IGNORECASE,
)
_EARLY = {"a": 0, "alpha": 0, "b": 1, "beta": 1, "c": 2, "rc": 2, "pre": 2, "preview": 2}
_BEFORE_ALL, _AFTER_EARLY = (-1, 0), (9, 0)
_NO_DEV = 10**18  # more than any number that is read


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError."""
    shown = text.strip()
    found = _WHOLE.fullmatch(shown)
    if found is None:
        longest = _WHOLE.match(shown)
        column = len(text) - len(text.lstrip()) + (longest.end() if longest else 0) + 1
        raise VersionError(text, column, "such a version is written as 3.13.0, 3.13.0rc1 or 3.13.0.post1")
    release = numbers(found["release"])
    dev = int(found["dev_number"] or 0) if found["dev"] else _NO_DEV
    post = int(found["bare_post"] or found["post_number"] or 0) if found["post"] else -1
    if found["early"]:
        early = (_EARLY[found["early"].lower()], int(found["early_number"] or 0))
    else:
        early = _BEFORE_ALL if found["dev"] and not found["post"] else _AFTER_EARLY
    bare = (int(found["epoch"] or 0), without_trailing_zeros(release), early, post, dev, ())
    key = (*bare[:5], _local(found["local"])) if found["local"] else bare
    return Version(shown, "pep440", release, key, bare, is_early=bool(found["early"] or found["dev"]))


def _local(label: str) -> tuple[tuple[int, int, str], ...]:
    parts = re.split(r"[-_.]", label.lower())
    return tuple((1, int(part), "") if part.isdecimal() else (0, 0, part) for part in parts)

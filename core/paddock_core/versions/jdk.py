"""Versions of the JDK, in the order of its own ``Runtime.Version`` (JEP 223, JEP 322), the optional part left out.

The old numbering is folded in: ``1.8.0_392`` and ``8u392`` are both release ``8.0.392``. Trailing zeros of the release
do not count. A version with a pre-release name (``-ea``) comes before the same without one; names of digits alone come
by their value and before words. The number of the build comes last, and none before any.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version, identifiers, numbers, without_trailing_zeros

_OLD = re.compile(r"1\.(\d+)(?:\.(\d+))?(?:_(\d+))?(?!\.)")
_UPDATE = re.compile(r"(\d+)u(\d+)", re.IGNORECASE)
_NEW = re.compile(r"\d+(?:\.\d+)*")
_OLD_BUILD = re.compile(r"-b(\d+)", re.IGNORECASE)
_REST = re.compile(r"(?:-(?P<early>[A-Za-z0-9]+))?(?:\+(?P<build>\d+))?")
_NAMES_OF_BUILDS = re.compile(r"LTS|Debian|Ubuntu|Homebrew|release", re.IGNORECASE)
"""What stands where a pre-release name would, and only says who built it."""


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError."""
    start = re.match(r"\s*(?:v|jdk-?)?(?=\d)", text, re.IGNORECASE)
    if start is None:
        column = len(text) - len(text.lstrip()) + 1
        raise VersionError(text, column, "a version of a JDK starts with a number, as 17, 17.0.9+9 or 1.8.0_392")
    place = start.end()
    if found := _UPDATE.match(text, place):
        release: tuple[int, ...] = (int(found.group(1)), 0, int(found.group(2)))
    elif found := _OLD.match(text, place):
        release = tuple(int(part or 0) for part in found.groups())
        release = release if found.group(2) or found.group(3) else release[:1]
    else:
        found = _NEW.match(text, place)
        assert found is not None
        release = numbers(found.group())
    rest = _REST.match(text, found.end())
    assert rest is not None
    early, build = rest["early"] or "", rest["build"]
    if found.re is not _NEW and (old := _OLD_BUILD.match(text, found.end())):
        early, build = "", old.group(1)
    if _NAMES_OF_BUILDS.fullmatch(early):
        early = ""
    bare = (without_trailing_zeros(release), (0, identifiers(early)) if early else (1, ()), -1)
    key = (*bare[:2], int(build)) if build else bare
    return Version(text.strip(), "jdk", release, key, bare, is_early=bool(early))

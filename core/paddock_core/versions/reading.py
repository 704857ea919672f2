"""Reading one version, by the name of its scheme."""

from __future__ import annotations

from collections.abc import Callable

from ..errors import VersionError
from . import dates, debian, generic, jdk, maven, pep440, semver
from .version import Version, refuse_long_numbers

MAX_RANGE_LENGTH = 200
"""Characters. No tool prints a longer version; a longer one is rubbish and is refused before any work is done."""

_READERS: dict[str, Callable[[str], Version]] = {
    "generic": generic.parse,
    "jdk": jdk.parse,
    "semver": semver.parse,
    "pep440": pep440.parse,
    "debian": debian.parse,
    "maven": maven.parse,
    "date": dates.parse,
}
SCHEMES = tuple(_READERS)


def parse(text: str, scheme: str = "generic") -> Version:
    """Reads one version.

    Raises VersionError with the column of the first character that cannot belong to it, and at column 1 where there is
    no such scheme.
    """
    if scheme not in _READERS:
        raise VersionError(text[:40], 1, f'unknown version scheme "{scheme}"; known are {", ".join(SCHEMES)}')
    if len(text) > MAX_RANGE_LENGTH:
        raise VersionError(
            text[:40] + "…", MAX_RANGE_LENGTH + 1, f"a version has at most {MAX_RANGE_LENGTH} characters"
        )
    if not text.isascii():
        column = next(place for place, character in enumerate(text, 1) if not character.isascii())
        raise VersionError(text, column, f'"{text[column - 1]}" cannot stand in a version')
    refuse_long_numbers(text)
    return _READERS[scheme](text)

"""Versions of tools: reading them, ordering them.

Two schemes so far:

``generic``
    A release of dotted numbers, of any length, where missing parts count as 0 (``1.2`` equals ``1.2.0``). A leading
    ``v``, ``go`` or the like is passed over. Of what follows: a word known to mean *not yet released* (``rc1``,
    ``-preview.2``, ``b3``, ``-SNAPSHOT``) orders the version before its release; ``_392`` and ``+9`` are build
    numbers and order after it; any other suffix (``-LTS``, ``.windows.1``, ``(Apple Git-146)``) says who built it and
    does not order.
``jdk``
    As generic, with the old numbering folded in: ``1.8.0_392`` and ``8u392`` are both release ``8.0.392``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import total_ordering

from .errors import VersionError

LONGEST = 200
"""Characters. No tool prints a longer version; a longer one is rubbish and is refused before any work is done."""

LARGEST_PART_DIGITS = 18

SCHEMES = ("generic", "jdk")

_NOT_YET_RELEASED = {
    "dev": 0,
    "snapshot": 1,
    "ea": 2,
    "preview": 3,
    "pre": 3,
    "a": 4,
    "alpha": 4,
    "b": 5,
    "beta": 5,
    "m": 6,
    "milestone": 6,
    "rc": 7,
    "cr": 7,
}
_RELEASED = 99

_START = re.compile(r"\s*(?:(?:v|go|jdk|release)[-. ]?)?(?=\d)", re.IGNORECASE)
_RELEASE = re.compile(r"\d+(?:\.\d+)*")
_EARLY = re.compile(
    r"[-._~]?(" + "|".join(sorted(_NOT_YET_RELEASED, key=len, reverse=True)) + r")(?![a-z])[-.]?(\d*)", re.IGNORECASE
)
_BUILD = re.compile(r"[_+](\d+)")
_JDK_UPDATE = re.compile(r"u(\d+)", re.IGNORECASE)


@total_ordering
@dataclass(frozen=True, eq=False)
class Version:
    """One version, ordered. ``text`` is as it was given and takes no part in comparison.

    >>> parse("v20.11.0") > parse("20.9") > parse("20.9.0rc1")
    True
    >>> parse("1.8.0_392", "jdk") == parse("8u392", "jdk")
    True
    """

    text: str
    release: tuple[int, ...]
    early: tuple[int, int] = (_RELEASED, 0)
    build: int = 0
    _order: tuple[tuple[int, ...], tuple[int, int], int] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_order", (without_trailing_zeros(self.release), self.early, self.build))

    @property
    def is_early(self) -> bool:
        """True for what was not yet released: a preview, a candidate, a snapshot."""
        return self.early[0] != _RELEASED

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self._order == other._order

    def __lt__(self, other: Version) -> bool:
        return self._order < other._order

    def __hash__(self) -> int:
        return hash(self._order)

    def __str__(self) -> str:
        return self.text


def without_trailing_zeros(release: tuple[int, ...]) -> tuple[int, ...]:
    """``(1, 2, 0)`` -> ``(1, 2)``."""
    end = len(release)
    while end and release[end - 1] == 0:
        end -= 1
    return release[:end]


def parse(text: str, scheme: str = "generic") -> Version:
    """Reads one version.

    Raises VersionError with the column of the first character that cannot belong to it.
    """
    if scheme not in SCHEMES:
        raise ValueError(f"no version scheme {scheme!r}; there are {', '.join(SCHEMES)}")
    if len(text) > LONGEST:
        raise VersionError(text[:40] + "…", LONGEST + 1, f"a version has at most {LONGEST} characters")
    start = _START.match(text)
    if start is None:
        column = len(text) - len(text.lstrip()) + 1
        raise VersionError(text, column, "a version starts with a number, as 17 or 3.8.7")
    shown = text.strip()
    place = start.end()
    match = _RELEASE.match(text, place)
    assert match is not None
    parts = match.group().split(".")
    for part in parts:
        if len(part) > LARGEST_PART_DIGITS:
            raise VersionError(text, place + 1, f"a part of a version has at most {LARGEST_PART_DIGITS} digits")
        place += len(part) + 1
    release = tuple(int(part) for part in parts)
    rest = text[match.end() :]
    if scheme == "jdk":
        return _jdk(shown, release, rest)
    early = _early(rest)
    return Version(shown, release, early, _build(rest))


def _early(rest: str) -> tuple[int, int]:
    match = _EARLY.match(rest)
    if match is None:
        return (_RELEASED, 0)
    return (_NOT_YET_RELEASED[match.group(1).lower()], _bounded(match.group(2)))


def _build(rest: str) -> int:
    match = _BUILD.search(rest)
    return _bounded(match.group(1)) if match else 0


def _bounded(digits: str) -> int:
    return int(digits[:LARGEST_PART_DIGITS] or 0)


def _jdk(shown: str, release: tuple[int, ...], rest: str) -> Version:
    if release[0] == 1 and len(release) > 1:
        release = release[1:]
        update = _BUILD.match(rest)
    else:
        update = _JDK_UPDATE.match(rest)
    if update is not None:
        release = (release[0], 0, _bounded(update.group(1)))
        rest = rest[update.end() :]
    return Version(shown, release, _early(rest), _build(rest))

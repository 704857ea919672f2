"""The generic scheme: what most tools print.

A release of dotted numbers, of any length, where missing parts count as 0 (``1.2`` equals ``1.2.0``). A leading ``v``,
``go`` or the like is passed over; a date with hyphens is a release of year, month and day. Of what follows:

* a word known to mean *not yet released* (``rc1``, ``-preview.7.24407``, ``b3``, ``-SNAPSHOT``) orders the version
  before its release, by the word (dev, snapshot, ea, preview, alpha, beta, milestone, candidate) and then its numbers;
* a single letter (``1.1.1w``, ``9.2p1``, ``8u392``) is a patch and orders after the release, by letter and number;
* ``_392`` and ``+9`` are numbers of a build and order after that;
* any other suffix (``-LTS``, ``.windows.1``, ``~deb12u1``, ``(15C500b)``) says who built it and does not order.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version, numbers, without_trailing_zeros

_NOT_YET_RELEASED = {
    "dev": 0,
    "snapshot": 1,
    "ea": 2,
    "preview": 3,
    "pre": 3,
    "alpha": 4,
    "a": 4,
    "beta": 5,
    "b": 5,
    "milestone": 6,
    "m": 6,
    "rc": 7,
    "cr": 7,
}
_RELEASED = (99, ())
_ONLY_WITH_A_NUMBER = {"a", "b", "m"}
"""``3.13.0a1`` is an alpha, but ``1.1.1a`` is the first patch of 1.1.1."""

_START = re.compile(r"\s*(?:(?:v|go|jdk|release|version)[-. ]?)?(?=\d)", re.IGNORECASE)
_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})(?!\d)")
_RELEASE = re.compile(r"\d+(?:\.\d+)*")
_EARLY = re.compile(
    r"[-._~]?(" + "|".join(sorted(_NOT_YET_RELEASED, key=len, reverse=True)) + r")(?![a-z])[-.]?(\d+(?:\.\d+)*)?",
    re.IGNORECASE,
)
_PATCH = re.compile(r"([a-z])(\d*)(?![a-z0-9])", re.IGNORECASE)
_BUILD = re.compile(r"[_+](\d+)")


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError."""
    start = _START.match(text)
    if start is None:
        column = len(text) - len(text.lstrip()) + 1
        raise VersionError(text, column, "a version starts with a number, as 17 or 3.8.7")
    if date := _DATE.match(text, start.end()):
        release, rest = tuple(int(part) for part in date.groups()), text[date.end() :]
    else:
        found = _RELEASE.match(text, start.end())
        assert found is not None
        release, rest = numbers(found.group()), text[found.end() :]
    early, patch = _early(rest), _patch(rest)
    build = _BUILD.search(rest)
    bare = (without_trailing_zeros(release), early, patch, 0)
    key = (*bare[:3], int(build.group(1))) if build else bare
    return Version(text.strip(), "generic", release, key, bare, is_early=early != _RELEASED)


def _early(rest: str) -> tuple[int, tuple[int, ...]]:
    found = _EARLY.match(rest)
    if found is None:
        return _RELEASED
    word, counted = found.group(1).lower(), found.group(2) or ""
    if word in _ONLY_WITH_A_NUMBER and not counted:
        return _RELEASED
    return (_NOT_YET_RELEASED[word], numbers(counted))


def _patch(rest: str) -> tuple[str, int]:
    found = _PATCH.match(rest)
    if found is None or _early(rest) != _RELEASED:
        return ("", 0)
    return (found.group(1).lower(), int(found.group(2) or 0))

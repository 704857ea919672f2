"""Finds the nearest known word for a misspelt one."""

from __future__ import annotations

from collections.abc import Iterable

MAX_WORD_LENGTH = 64
"""Longer words are not compared: the cost is quadratic."""


USUAL_NAMES = {
    "amd64": "x64",
    "x86_64": "x64",
    "x86-64": "x64",
    "intel": "x64",
    "aarch64": "arm64",
    "armv8": "arm64",
    "debian": "linux",
    "ubuntu": "linux",
    "fedora": "linux",
    "gnu": "linux",
    "osx": "macos",
    "darwin": "macos",
    "mac": "macos",
    "macosx": "macos",
    "win": "windows",
    "win10": "windows",
    "win11": "windows",
    "win32": "windows",
    "win64": "windows",
}
"""What else people and other programs call the words of ours: no typing mistakes, so no distance finds them."""


def meant_by(word: str, known: Iterable[str]) -> str | None:
    """The known word that is meant by another name of it, or by a mistyped one.

    >>> meant_by("amd64", ["x64", "arm64"]), meant_by("linx", ["linux", "macos"]), meant_by("osx", ["linux", "macos"])
    ('x64', 'linux', 'macos')
    """
    known = set(known)
    other = USUAL_NAMES.get(word.casefold())
    return other if other in known else nearest(word, known)


def distance(a: str, b: str, limit: int) -> int:
    """Edits between two words: insert, delete, replace, or swap two neighbours (restricted Damerau-Levenshtein).

    Stops early and returns ``limit + 1`` once more than ``limit`` edits are certain.

    >>> distance("relase", "release", 3), distance("mavne", "maven", 3), distance("git", "gcc", 1)
    (1, 1, 2)
    """
    if abs(len(a) - len(b)) > limit:
        return limit + 1
    before_last: list[int] = []
    last = list(range(len(b) + 1))
    for i, letter in enumerate(a, 1):
        row = [i]
        for j, other in enumerate(b, 1):
            cost = min(row[j - 1] + 1, last[j] + 1, last[j - 1] + (letter != other))
            if i > 1 and j > 1 and letter == b[j - 2] and a[i - 2] == other:
                cost = min(cost, before_last[j - 2] + 1)
            row.append(cost)
        if min(row) > limit:
            return limit + 1
        before_last, last = last, row
    return last[-1]


def nearest(word: str, known: Iterable[str]) -> str | None:
    """The known word closest to ``word``, or None when none is close.

    Close means at most a third of the letters (and at least one) differ, case aside. Ties go to the first in
    alphabetical order, so that the answer does not depend on the order of ``known``.

    >>> nearest("relase-signing", ["release-signing", "desktop"])
    'release-signing'
    >>> nearest("zebra", ["os", "arch"]) is None
    True
    """
    if not word or len(word) > MAX_WORD_LENGTH:
        return None
    limit = max(1, len(word) // 3)
    best: tuple[int, str] | None = None
    for candidate in sorted(set(known)):
        if len(candidate) > MAX_WORD_LENGTH:
            continue
        edits = distance(word.casefold(), candidate.casefold(), limit)
        if edits <= limit and edits < max(len(word), len(candidate)) and (best is None or edits < best[0]):
            best = (edits, candidate)
    return best[1] if best else None

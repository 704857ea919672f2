"""Patterns of paths in a work folder, matched in time that is bounded by the product of their lengths.

``*`` stands for any part of a name, ``?`` for one character of it, ``**`` for any folders between. A pattern that ends
with the name of a folder means everything below it.

Patterns come from pipelines, and paths from jobs, so neither may choose how long matching takes: nothing is tried
twice. Between two stars the leftmost place is always good enough, since what follows can only gain room by it.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from .errors import BadPattern

MAX_LENGTH = 400
MAX_WILDCARDS = 10
"""Stars in one pattern; a ``**`` counts as one."""
ANY_FOLDERS = "**"


class FilePattern:
    """A pattern that was read. Raises BadPattern for one that is too long or has too many stars."""

    def __init__(self, pattern: str) -> None:
        names = [name for name in pattern.strip("/").split("/") if name not in ("", ".")]
        stars = sum(1 if name == ANY_FOLDERS else name.count("*") for name in names)
        if len(pattern) > MAX_LENGTH:
            raise BadPattern(f"a pattern has at most {MAX_LENGTH} characters; this one has {len(pattern)}")
        if stars > MAX_WILDCARDS:
            raise BadPattern(f"a pattern has at most {MAX_WILDCARDS} stars; this one has {stars}")
        if names[-1:] == [ANY_FOLDERS]:
            names[-1:] = ["*"]  # what is below a folder, not the folder itself
        self._runs: list[list[_Name]] = [[]]
        for name in names:
            if name != ANY_FOLDERS:
                self._runs[-1].append(_Name(name))
            elif len(self._runs) == 1 or self._runs[-1]:
                self._runs.append([])

    def matches(self, path: str) -> bool:
        """Whether a path, with ``/`` between its names, is one of those that are meant."""
        names = path.split("/")
        first, *others = self._runs
        if not _fits_at(first, names, 0):
            return False
        place = len(first)
        for run in others:
            ends = len(names) - len(run)
            place = next((at for at in range(place, ends + 1) if _fits_at(run, names, at)), -1)
            if place < 0:
                return False
            place += len(run)
        return True


@lru_cache(maxsize=1000)
def file_pattern(pattern: str) -> FilePattern:
    """The pattern, read once. Raises BadPattern."""
    return FilePattern(pattern)


class _Name:
    """The pattern of one name: pieces of fixed length between stars."""

    def __init__(self, pattern: str) -> None:
        self._first, *self._others = pattern.split("*")
        self._least = len(pattern) - pattern.count("*")

    def matches(self, name: str) -> bool:
        if len(name) < self._least or not _piece_at(self._first, name, 0):
            return False
        if not self._others:
            return len(name) == len(self._first)
        *middle, last = self._others
        place, ends = len(self._first), len(name) - len(last)
        for piece in middle:
            found = _find(piece, name, place, ends)
            if found < 0:
                return False
            place = found + len(piece)
        return place <= ends and _piece_at(last, name, ends)


def _fits_at(run: Sequence[_Name], names: Sequence[str], at: int) -> bool:
    return at + len(run) <= len(names) and all(one.matches(names[at + n]) for n, one in enumerate(run))


def _piece_at(piece: str, name: str, at: int) -> bool:
    if "?" not in piece:
        return name.startswith(piece, at)
    there = name[at : at + len(piece)]
    return len(there) == len(piece) and all(one in ("?", other) for one, other in zip(piece, there, strict=True))


def _find(piece: str, name: str, start: int, end: int) -> int:
    """Where a piece first lies between two places of a name, -1 where it does not."""
    if "?" not in piece:
        return name.find(piece, start, end)
    return next((at for at in range(start, end - len(piece) + 1) if _piece_at(piece, name, at)), -1)

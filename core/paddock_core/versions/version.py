"""One version as an ordered value, and what the schemes share."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from ..errors import VersionError

MAX_PART_DIGITS = 18

Key = Any
"""What orders the versions of one scheme: nested tuples, or another hashable value with a total order."""


@dataclass(frozen=True, eq=False)
class Version:
    """One version, ordered among those of its scheme. ``text`` is as it was given and takes no part in comparison.

    ``release`` are its leading numbers, by which ranges such as ``17`` or ``17..21`` go. ``key`` orders it; ``bare`` is
    that key without the number of the build, and the same object where no build is named. Versions of two schemes are
    never equal, and to order them raises TypeError.

    >>> from paddock_core.versions import parse
    >>> parse("v20.11.0") > parse("20.9") > parse("20.9.0rc1")
    True
    >>> parse("1.8.0_392", "jdk") == parse("8u392", "jdk")
    True
    """

    text: str
    scheme: str
    release: tuple[int, ...]
    key: Key
    bare: Key
    is_early: bool = False
    """True for what was not yet released: a preview, a candidate, a snapshot."""

    @property
    def names_build(self) -> bool:
        return self.bare is not self.key

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self.scheme == other.scheme and bool(self.key == other.key)

    def __lt__(self, other: Version) -> bool:
        return bool(self._comparable(other) and self.key < other.key)

    def __le__(self, other: Version) -> bool:
        return bool(self._comparable(other) and (self.key < other.key or self.key == other.key))

    def __gt__(self, other: Version) -> bool:
        return other < self

    def __ge__(self, other: Version) -> bool:
        return other <= self

    def _comparable(self, other: Version) -> bool:
        if self.scheme != other.scheme:
            raise TypeError(f"{self.text} ({self.scheme}) and {other.text} ({other.scheme}) have no common order")
        return True

    def __hash__(self) -> int:
        return hash((self.scheme, self.key))

    def __str__(self) -> str:
        return self.text


def without_trailing_zeros(release: tuple[int, ...]) -> tuple[int, ...]:
    """``(1, 2, 0)`` -> ``(1, 2)``."""
    end = len(release)
    while end and release[end - 1] == 0:
        end -= 1
    return release[:end]


def refuse_long_numbers(text: str) -> None:
    """Raises VersionError, at its first digit, for a number that no tool counts up to."""
    if long := re.search(r"\d" * (MAX_PART_DIGITS + 1), text):
        raise VersionError(text, long.start() + 1, f"a part of a version has at most {MAX_PART_DIGITS} digits")


def refuse_others(text: str, allowed: str) -> None:
    """Raises VersionError at the first character that is not one of ``allowed``, the inside of a character class."""
    if strange := re.search(f"[^{allowed}]", text.strip()):
        column = len(text) - len(text.lstrip()) + strange.start() + 1
        raise VersionError(text, column, f'"{strange.group()}" cannot stand in such a version')


def numbers(text: str) -> tuple[int, ...]:
    """``"7.24407.12"`` -> ``(7, 24407, 12)``; "" -> ``()``."""
    return tuple(int(part) for part in text.split(".")) if text else ()


def leading_numbers(text: str) -> tuple[int, ...]:
    """The dotted numbers that ``text`` begins with, ``(0,)`` where it begins with none."""
    found = re.match(r"\d+(?:\.\d+)*", text)
    return numbers(found.group()) if found else (0,)


def identifiers(text: str) -> tuple[tuple[int, int, str], ...]:
    """Dotted identifiers in the order of Semantic Versioning 2.0, section 11: numbers by their value and before
    words; words by their characters."""
    return tuple((0, int(part), "") if part.isdecimal() else (1, 0, part) for part in text.split("."))

"""Versions of Maven artefacts, in the order of its ``ComparableVersion`` (Maven 3.8).

Dots part items of one list; hyphens, and each change between digits and letters, open a list inside the list. Numbers
come after lists and lists after words; among the words alpha < beta < milestone < rc = cr < snapshot < "" = final = ga
= release < sp < all others. Trailing items that say nothing are left out.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import total_ordering
from itertools import zip_longest
from typing import Union

from ..errors import VersionError
from .version import Version, leading_numbers, refuse_others

_WORDS = ("alpha", "beta", "milestone", "rc", "snapshot", "", "sp")
_ALIASES = {"ga": "", "final": "", "release": "", "cr": "rc"}
_LETTERS = {"a": "alpha", "b": "beta", "m": "milestone"}
_NOTHING = str(_WORDS.index(""))
_PIECES = re.compile(r"([0-9]+|[^0-9.-]+)?([.-]|(?<=[0-9])(?=[^0-9.-])|(?<=[^0-9.-])(?=[0-9])|$)")

_Item = Union[int, str, "tuple[_Item, ...]"]
"""A number, the rank of a word as text, or a list."""


@total_ordering
class _Order:
    """A version's items, with Maven's own comparison, which no tuple of Python's has."""

    def __init__(self, items: tuple[_Item, ...]) -> None:
        self.items = items

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Order) and _compare(self.items, other.items) == 0

    def __lt__(self, other: _Order) -> bool:
        return _compare(self.items, other.items) < 0

    def __hash__(self) -> int:
        return hash(tuple(_telling(self.items)))


def _telling(items: tuple[_Item, ...]) -> Iterator[int | str]:
    """The items that say something, whatever list they are in: the same for all versions that are equal."""
    for item in items:
        if isinstance(item, tuple):
            yield from _telling(item)
        elif item not in (0, _NOTHING):
            yield item


def parse(text: str) -> Version:
    """Reads one version. Maven itself takes any text; its comparison is an order only of those that start with a digit.

    Raises VersionError for others, and for characters that no repository keeps.
    """
    refuse_others(text, r"A-Za-z0-9._+~-")
    shown = text.strip()
    if not shown[:1].isdecimal():
        column = len(text) - len(text.lstrip()) + 1
        raise VersionError(text, column, "such a version starts with a digit, as 3.8.7 or 1.0-SNAPSHOT")
    items = _items(shown.lower())
    order = _Order(items)
    early = any(word in _WORDS[:5] for word in (_word(w, True) for w in re.findall(r"[a-z]+", shown.lower())))
    return Version(shown, "maven", leading_numbers(shown), order, order, is_early=early)


def _items(text: str) -> tuple[_Item, ...]:
    stack: list[list[_Item]] = [[]]
    place = 0
    while place < len(text):
        found = _PIECES.match(text, place)
        assert found is not None
        piece, parting = found.group(1), found.group(2)
        place = found.end()
        if piece is None:
            stack[-1].append(0)
        elif piece.isdecimal():
            stack[-1].append(int(piece))
        else:
            if parting == "" and stack[-1]:
                stack.append([])  # .X1 is as -X1, for every word X
            stack[-1].append(_rank(_word(piece, parting == "" and place < len(text))))
        if parting == "-" or (parting == "" and place < len(text)):
            stack.append([])
    for inner in range(len(stack) - 1, 0, -1):
        stack[inner - 1].append(_normal(stack[inner]))
    return _normal(stack[0])


def _word(piece: str, before_digits: bool) -> str:
    piece = _LETTERS.get(piece, piece) if before_digits else piece
    return _ALIASES.get(piece, piece)


def _rank(word: str) -> str:
    return str(_WORDS.index(word)) if word in _WORDS else f"{len(_WORDS)}-{word}"


def _normal(items: list[_Item]) -> tuple[_Item, ...]:
    for place in range(len(items) - 1, -1, -1):
        if items[place] in (0, _NOTHING, ()):
            del items[place]
        elif not isinstance(items[place], tuple):
            break
    return tuple(items)


def _compare(one: _Item | None, other: _Item | None) -> int:
    """Below 0, 0 or above 0; None stands for an item that the shorter list lacks."""
    if one is None:
        return 0 if other is None else -_compare(other, None)
    if other is None:
        if isinstance(one, tuple):
            return next((result for item in one if (result := _compare(item, None))), 0)
        return _sign(one, 0) if isinstance(one, int) else _sign(one, _NOTHING)
    if isinstance(one, tuple) and isinstance(other, tuple):
        pairs = zip_longest(one, other)
        return next((result for left, right in pairs if (result := _compare(left, right))), 0)
    if type(one) is type(other):
        return _sign(one, other)
    return _sign(_KINDS[type(one)], _KINDS[type(other)])


_KINDS: dict[type, int] = {str: 0, tuple: 1, int: 2}


def _sign(one: _Item, other: _Item) -> int:
    return (one > other) - (one < other)  # type: ignore[operator]

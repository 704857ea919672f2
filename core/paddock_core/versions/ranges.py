"""Ranges of versions, as people write them in terms.

=============  ================================================================================
``17``         17 and everything below 18: a version that starts with these parts
``3.8+``       3.8 or newer
``17..21``     from 17 up to and including everything that starts with 21
``>=3.8 <4``   every comparison holds; ``<4`` leaves out the early versions of 4 as well
=============  ================================================================================

Early versions (``18-ea``, ``3.13.0rc1``) order before their release, so ``17`` and ``3.13+`` do not take them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import zip_longest

from lark import Token, Transformer, UnexpectedInput
from lark.exceptions import VisitError

from ..errors import VersionError
from ..grammar import RANGE_PARSER, describe_unexpected
from .reading import MAX_RANGE_LENGTH, parse
from .version import Version


@dataclass(frozen=True)
class Comparison:
    """One side of a range. ``op`` is one of ``>= > <= < = starts upto``; the last two go by leading parts."""

    op: str
    bound: Version

    def holds(self, version: Version) -> bool:
        """Whether ``version`` lies on the right side of the bound."""
        bound = self.bound
        # A bound that names no build means all of its builds: 17.0.9+9 is <=17.0.9, and not >17.0.9.
        here, there = (version.key, bound.key) if bound.names_build else (version.bare, bound.bare)
        match self.op:
            case ">=":
                return not here < there
            case ">":
                return bool(there < here)
            case "<=":
                return not there < here
            case "=":
                return bool(here == there)
            case "<":
                return bool(here < there) and not (
                    version.is_early and not bound.is_early and _same_release(version, bound)
                )
            case "upto":
                return _leading(version, bound) <= bound.release
            case "starts":
                return not here < there and _leading(version, bound) == bound.release
        raise ValueError(f"no comparison {self.op!r}")


def _leading(version: Version, bound: Version) -> tuple[int, ...]:
    size = len(bound.release)
    return (version.release + (0,) * size)[:size]


def _same_release(a: Version, b: Version) -> bool:
    return all(x == y for x, y in zip_longest(a.release, b.release, fillvalue=0))


@dataclass(frozen=True)
class VersionRange:
    """What a term asks of a version. ``text`` is canonical: it reads back as an equal range.

    >>> parse_range("17..21").contains(parse("21.0.5"))
    True
    >>> parse_range("3.8+").contains(parse("3.8.0rc1"))
    False
    """

    text: str
    comparisons: tuple[Comparison, ...]
    scheme: str = "generic"

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        """Of what tells ranges apart, and no more: terms are looked up by it all the time."""
        return hash((self.text, self.scheme))

    def contains(self, version: Version) -> bool:
        """Whether ``version`` lies in the range."""
        return all(comparison.holds(version) for comparison in self.comparisons)

    def __str__(self) -> str:
        return self.text


def parse_range(text: str, scheme: str = "generic") -> VersionRange:
    """Reads one range of versions of ``scheme``.

    Raises VersionError with the column where reading stopped, or where the range turns empty.
    """
    if len(text) > MAX_RANGE_LENGTH:
        raise VersionError(text[:40] + "…", MAX_RANGE_LENGTH + 1, f"a range has at most {MAX_RANGE_LENGTH} characters")
    try:
        tree = RANGE_PARSER.parse(text)
    except UnexpectedInput as error:
        column, message, expected = describe_unexpected(RANGE_PARSER, text, error)
        raise VersionError(text, column, f"{message}; expected {' or '.join(expected)}") from None
    return build_range(tree, text, scheme)


def build_range(tree: object, text: str, scheme: str) -> VersionRange:
    """Makes a range from its parse tree; shared with the terms, whose grammar contains that of ranges."""
    try:
        comparisons: list[tuple[Comparison, int]] = _RangeBuilder(text, scheme).transform(tree)  # type: ignore[arg-type]
    except VisitError as error:
        if isinstance(error.orig_exc, VersionError):
            raise error.orig_exc from None
        raise
    _refuse_empty(text, comparisons)
    canonical = _canonical([comparison for comparison, _ in comparisons])
    return VersionRange(canonical, tuple(comparison for comparison, _ in comparisons), scheme)


class _RangeBuilder(Transformer[Token, list[tuple[Comparison, int]]]):
    def __init__(self, text: str, scheme: str) -> None:
        super().__init__()
        self._text = text
        self._scheme = scheme

    def _bound(self, token: Token) -> Version:
        try:
            return parse(str(token), self._scheme)
        except VersionError as error:
            raise VersionError(self._text, (token.column or 1) + error.column - 1, error.message) from None

    def family(self, items: list[Token]) -> list[tuple[Comparison, int]]:
        return [(Comparison("starts", self._bound(items[0])), items[0].column or 1)]

    def at_least(self, items: list[Token]) -> list[tuple[Comparison, int]]:
        return [(Comparison(">=", self._bound(items[0])), items[0].column or 1)]

    def between(self, items: list[Token]) -> list[tuple[Comparison, int]]:
        low, high = items
        return [
            (Comparison(">=", self._bound(low)), low.column or 1),
            (Comparison("upto", self._bound(high)), high.column or 1),
        ]

    def compared(self, items: list[Token]) -> list[tuple[Comparison, int]]:
        pairs = zip(items[::2], items[1::2], strict=True)
        return [(Comparison(str(op), self._bound(bound)), op.column or 1) for op, bound in pairs]


def _refuse_empty(text: str, comparisons: list[tuple[Comparison, int]]) -> None:
    """Refuses a range that no version can lie in, such as ``>=18 <17`` or ``21..17``."""
    for lower, _ in comparisons:
        if lower.op not in (">=", ">", "="):
            continue
        for upper, column in comparisons:
            low, high = lower.bound, upper.bound
            empty = (
                (upper.op == "upto" and _leading(low, high) > high.release)
                or (upper.op in ("<=", "=") and (low > high or (lower.op == ">" and low == high)))
                or (upper.op == "<" and low >= high)
            )
            if empty and lower is not upper:
                raise VersionError(
                    text,
                    column,
                    f"no version is both {lower.op} {low} and {_comparison_text(upper)}: the range is empty",
                )


def _comparison_text(comparison: Comparison) -> str:
    return f"up to {comparison.bound}" if comparison.op == "upto" else f"{comparison.op} {comparison.bound}"


def _canonical(comparisons: list[Comparison]) -> str:
    ops = [comparison.op for comparison in comparisons]
    bounds = [str(comparison.bound) for comparison in comparisons]
    if ops == ["starts"]:
        return bounds[0]
    if ops == [">="]:
        return f"{bounds[0]}+"
    if ops == [">=", "upto"]:
        return f"{bounds[0]}..{bounds[1]}"
    return " ".join(f"{op}{bound}" for op, bound in zip(ops, bounds, strict=True))

"""Terms: what a job asks of a host, one line each. The grammar is in ``terms.lark``, and explained in docs/terms.md."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lark import Token, Tree, UnexpectedInput

from .errors import ContradictionError, TermError, VersionError
from .grammar import SUBJECTS, TERM_PARSER, describe_unexpected, word_at
from .tool_words import FEW_WORDS, ToolWords
from .versions import VersionRange, build_range
from .words import nearest

LONGEST = 200
MOST = 100
"""Terms of one job. More are refused: nobody writes them, and each costs a pass over the fleet."""


@dataclass(frozen=True)
class OsTerm:
    """``os NAME [RANGE]``"""

    name: str
    range: VersionRange | None = None

    def __str__(self) -> str:
        return f"os {self.name}" + (f" {self.range}" if self.range else "")


@dataclass(frozen=True)
class ArchTerm:
    """``arch NAME``"""

    name: str

    def __str__(self) -> str:
        return f"arch {self.name}"


@dataclass(frozen=True)
class LabelTerm:
    """``label NAME``"""

    name: str

    def __str__(self) -> str:
        return f"label {self.name}"


@dataclass(frozen=True)
class HostTerm:
    """``host NAME``"""

    name: str

    def __str__(self) -> str:
        return f"host {self.name}"


@dataclass(frozen=True)
class ToolTerm:
    """``tool NAME [RANGE]``"""

    name: str
    range: VersionRange | None = None

    def __str__(self) -> str:
        return f"tool {self.name}" + (f" {self.range}" if self.range else "")


@dataclass(frozen=True)
class ServiceTerm:
    """``service NAME running``"""

    name: str

    def __str__(self) -> str:
        return f"service {self.name} running"


Term = OsTerm | ArchTerm | LabelTerm | HostTerm | ToolTerm | ServiceTerm


def parse_term(text: str, words: ToolWords = FEW_WORDS) -> Term:
    """Reads one term. Case of the fixed words and spaces round it do not matter, and an alias of a tool is replaced by
    its name.

    >>> str(parse_term("  Tool JDK   17..21 "))
    'tool jdk 17..21'

    Raises TermError with the column, what was expected and the nearest known word.
    """
    if len(text) > LONGEST:
        raise TermError(text[:40] + "…", LONGEST + 1, f"a term has at most {LONGEST} characters")
    if "\n" in text or "\r" in text:
        column = min(text.find(mark) for mark in "\r\n" if mark in text) + 1
        raise TermError(text, column, "a term is one line; write each term as its own")
    if not text.strip():
        raise TermError(text, 1, "the term is empty.", SUBJECTS)
    try:
        tree = TERM_PARSER.parse(text)
    except UnexpectedInput as error:
        column, message, expected = describe_unexpected(TERM_PARSER, text, error)
        close = nearest(word_at(text, column), [word for word in expected if word.isalnum()])
        raise TermError(text, column, message + ".", expected, close) from None
    assert isinstance(tree, Tree)
    name, range_tree = str(tree.children[0]).lower(), (tree.children[1:] or [None])[0]
    try:
        match tree.data:
            case "os_term":
                return OsTerm(name, _range(range_tree, text, "generic"))
            case "arch_term":
                return ArchTerm(name)
            case "label_term":
                return LabelTerm(name)
            case "host_term":
                return HostTerm(name)
            case "service_term":
                return ServiceTerm(name)
            case _:
                tool = words.name(name)
                return ToolTerm(tool, _range(range_tree, text, words.scheme(tool)))
    except VersionError as error:
        raise TermError(text, error.column, error.message + ".") from None


def _range(tree: Tree[Token] | Token | None, text: str, scheme: str) -> VersionRange | None:
    return None if tree is None else build_range(tree, text, scheme)


def parse_terms(texts: Sequence[str], words: ToolWords = FEW_WORDS) -> tuple[Term, ...]:
    """Reads all terms of a job, in order, leaving out later repeats.

    Raises TermError for the first that cannot be read and ContradictionError for two that no host can meet together.
    """
    terms = tuple(dict.fromkeys(parse_term(text, words) for text in texts))
    for second, term in enumerate(terms):
        for first, earlier in enumerate(terms[:second]):
            if (
                isinstance(term, OsTerm | ArchTerm | HostTerm)
                and type(earlier) is type(term)
                and earlier.name != term.name
            ):
                raise ContradictionError(
                    first,
                    second,
                    f"no host can meet both `{earlier}` and `{term}`: a host has one of each. Take one out.",
                )
    return terms

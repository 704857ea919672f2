"""Reading terms. The grammar is in ``terms.lark``, and explained in docs/terms.md."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lark import Token, Tree, UnexpectedInput

from ..errors import ContradictionError, TermError, VersionError
from ..grammar import SUBJECTS, TERM_PARSER, describe_unexpected, word_at
from ..spelling import meant_by
from ..versions import VersionRange, build_range
from .kinds import (
    AllOf,
    AnyOf,
    ArchTerm,
    CoresTerm,
    DiskTerm,
    DisplayTerm,
    EnvTerm,
    GroupTerm,
    HostTerm,
    KitTerm,
    LabelTerm,
    MemoryTerm,
    NotTerm,
    OsTerm,
    PaddockTerm,
    ServiceTerm,
    Term,
    ToolTerm,
    joined,
    negated,
)
from .quantities import read_size
from .registry import SINGLE
from .term_context import FEW_WORDS, ToolWords

MAX_TERM_LENGTH = 400
MAX_TERMS = 100
"""Terms of one job. More are refused: each costs a pass over the fleet."""
DEEPEST = 8
"""Brackets and ``not`` inside each other."""

_PREFER = re.compile(r"\s*prefer(?!\S)", re.IGNORECASE)


@dataclass(frozen=True)
class Read:
    """What one line says: a term, or with ``prefers`` one that never excludes a host. ``notes`` say what was forgiven:
    each a sentence."""

    term: Term
    prefers: bool = False
    notes: tuple[str, ...] = ()

    def __str__(self) -> str:
        return f"prefer {self.term}" if self.prefers else str(self.term)


@dataclass(frozen=True)
class Asked:
    """What a job asks: every one of ``terms`` holds on a host that fits; of those, hosts that meet more of ``prefers``
    come first."""

    terms: tuple[Term, ...] = ()
    prefers: tuple[Term, ...] = ()


def parse_term(text: str, words: ToolWords = FEW_WORDS) -> Term:
    """Reads one term. Case of the fixed words and spaces round it do not matter, and an alias of a tool is replaced by
    its name.

    >>> str(parse_term("  Tool JDK   17..21 "))
    'tool jdk 17..21'

    Raises TermError with the column, what was expected and the nearest known word.
    """
    if len(text) > MAX_TERM_LENGTH:
        raise TermError(text[:40] + "…", MAX_TERM_LENGTH + 1, f"a term has at most {MAX_TERM_LENGTH} characters")
    if "\n" in text or "\r" in text:
        column = min(text.find(mark) for mark in "\r\n" if mark in text) + 1
        raise TermError(text, column, "a term is one line; write each term as its own")
    plain = _with_plain_spaces(text)
    if not plain.strip():
        raise TermError(text, 1, "the term is empty.", SUBJECTS)
    _refuse_depth(plain)
    try:
        tree = TERM_PARSER.parse(plain)
    except UnexpectedInput as error:
        column, message, expected = describe_unexpected(TERM_PARSER, plain, error)
        word = word_at(plain, column)
        if strange := _strange_letter(word):
            raise TermError(text, column + word.index(strange), _hint_for(strange, word)) from None
        close = meant_by(word, [one for one in expected if one.isalnum()])
        raise TermError(text, column, message + ".", expected, close) from None
    assert isinstance(tree, Tree)
    try:
        return _Builder(plain, words).build(tree)
    except VersionError as error:
        raise TermError(text, error.column, error.message + ".") from None


def read_line(text: str, words: ToolWords = FEW_WORDS) -> Read:
    """Reads one line, which may begin with ``prefer``. Raises TermError."""
    start = _PREFER.match(text)
    begins = start.end() if start else 0
    try:
        term = parse_term(text[begins:], words)
    except TermError as error:
        raise TermError(text, error.column + begins, error.message, error.expected, error.nearest) from None
    return Read(term, start is not None, _forgiven(text, Read(term, start is not None)))


def parse_asked(texts: Sequence[str], words: ToolWords = FEW_WORDS) -> Asked:
    """Reads all lines of a job, in order. Terms that join several become several; later repeats are left out.

    Raises TermError for the first that cannot be read and ContradictionError for two that no host can meet together;
    its places are those of the lines.
    """
    terms: dict[Term, int] = {}
    prefers: dict[Term, None] = {}
    for place, text in enumerate(texts):
        read = read_line(text, words)
        if read.prefers:
            prefers[read.term] = None
            continue
        for term in read.term.terms if isinstance(read.term, AllOf) else (read.term,):
            terms.setdefault(term, place)
    _refuse_contradictions(terms)
    return Asked(tuple(terms), tuple(prefers))


def parse_terms(texts: Sequence[str], words: ToolWords = FEW_WORDS) -> tuple[Term, ...]:
    """The terms of ``parse_asked``."""
    return parse_asked(texts, words).terms


def _refuse_contradictions(terms: dict[Term, int]) -> None:
    listed = list(terms)
    one_of_each: dict[type, Any] = {}
    for term in listed:
        opposite = negated(term)
        if opposite in terms and terms[opposite] <= terms[term] and opposite != term:
            raise ContradictionError(
                terms[opposite], terms[term], f"no host can meet both `{opposite}` and `{term}`. Remove one."
            )
        for other in listed:
            if isinstance(other, NotTerm) and _implies(term, other.term):
                first, second = sorted((other, term), key=terms.__getitem__)
                raise ContradictionError(
                    terms[first],
                    terms[second],
                    f"no host can meet both `{first}` and `{second}`: every host with `{term}` has `{other.term}` too. "
                    "Remove one.",
                )
        if isinstance(term, SINGLE):
            named: Any = term
            earlier = one_of_each.setdefault(type(term), named)
            if earlier.name != named.name:
                raise ContradictionError(
                    terms[earlier],
                    terms[term],
                    f"no host can meet both `{earlier}` and `{term}`: a host has one of each. Remove one.",
                )


def _implies(term: Term, other: Term) -> bool:
    """Whether every host that meets ``term`` meets ``other`` as well: more of the same number, or one of a kind."""
    for numbers in (CoresTerm, MemoryTerm, DiskTerm):
        if isinstance(term, numbers) and isinstance(other, numbers):
            return term.least >= other.least
    for named in (OsTerm, ToolTerm):
        if isinstance(term, named) and isinstance(other, named):
            return term.name == other.name and other.range is None
    return isinstance(term, EnvTerm) and isinstance(other, EnvTerm) and term.name == other.name and other.value is None


class _Builder:
    """Makes terms of a parse tree."""

    def __init__(self, text: str, words: ToolWords) -> None:
        self._text = text
        self._words = words

    def build(self, tree: Tree[Token]) -> Term:
        inside = tree.children
        match tree.data:
            case "term":
                return self.build(_tree(inside[0]))
            case "any_of":
                return joined(AnyOf, [self.build(_tree(one)) for one in inside])
            case "all_of":
                return joined(AllOf, [self.build(_tree(one)) for one in inside])
            case "not_term":
                return negated(self.build(_tree(inside[0])))
            case "tools_term":
                return joined(AllOf, [self._tool(_tree(one)) for one in inside])
            case "group_term":
                return GroupTerm(_value(_tree(inside[0])))
            case "env_term":
                return EnvTerm(str(inside[0]), None if inside[1] is None else _value(_tree(inside[1])))
            case "display_term":
                return DisplayTerm()
            case "memory_term":
                return MemoryTerm(read_size(str(inside[0])))
            case "disk_term":
                return DiskTerm(read_size(str(inside[0])))
            case "cores_term":
                return CoresTerm(int(str(inside[0]).rstrip("+")))
        name = str(inside[0]).lower()
        match tree.data:
            case "os_term":
                return OsTerm(name, self._range(inside[1], "generic"))
            case "arch_term":
                return ArchTerm(name)
            case "label_term":
                return LabelTerm(name)
            case "kit_term":
                return self._kit(name)
            case "host_term":
                return HostTerm(name)
            case "paddock_term":
                return PaddockTerm(name)
            case "service_term":
                return ServiceTerm(name)
        raise AssertionError(f"no term {tree.data}")

    def _kit(self, name: str) -> KitTerm:
        kits = self._words.kits
        if name in kits:
            return KitTerm(name, kits[name])
        nearest = meant_by(name, kits)
        return KitTerm(name, None, KitTerm(nearest, kits[nearest]) if nearest else None)

    def _tool(self, tree: Tree[Token]) -> ToolTerm:
        name = self._words.name(str(tree.children[0]).lower())
        return ToolTerm(name, self._range(tree.children[1], self._words.scheme(name)))

    def _range(self, tree: Tree[Token] | Token | None, scheme: str) -> VersionRange | None:
        return None if tree is None else build_range(tree, self._text, scheme)


def _tree(node: Tree[Token] | Token | None) -> Tree[Token]:
    assert isinstance(node, Tree)
    return node


def _value(tree: Tree[Token]) -> str:
    return str(tree.children[0]).strip('"')


def _with_plain_spaces(text: str) -> str:
    """Spaces that only look like one, as they come out of documents and mails, made plain: columns stay."""
    return "".join(" " if mark.isspace() and mark != "\t" else mark for mark in text)


def _refuse_depth(text: str) -> None:
    depth = 0
    for found in re.finditer(r"[()]|\bnot\b", text, re.IGNORECASE):
        depth += -1 if found.group() == ")" else 1
        if depth > DEEPEST:
            raise TermError(
                text, found.start() + 1, f"terms stand at most {DEEPEST} deep inside each other; write several lines"
            )
        # A "not" goes with one term; those of one line that stand side by side do not add up.
        if found.group().lower() == "not" and not re.match(r"[\s(]*(?:\(|not\b)", text[found.end() :], re.IGNORECASE):
            depth -= 1


def _strange_letter(word: str) -> str:
    return next((letter for letter in word if not letter.isascii()), "")


def _hint_for(letter: str, word: str) -> str:
    name = unicodedata.name(letter, "a letter without a name").lower()
    return (
        f'"{word}" has a letter that only looks like one of the keyboard: "{letter}" is {name} '
        f"(U+{ord(letter):04X}). Type the word again."
    )


def _forgiven(text: str, read: Read) -> tuple[str, ...]:
    """What was read past: one sentence for each kind of it."""
    notes = []
    if text != text.strip():
        notes.append("Spaces round the line are not needed.")
    if any(mark.isspace() and mark not in " \t" for mark in text):
        notes.append("It has an unusual space character; it was read as a plain space.")
    written, canonical = " ".join(text.split()), str(read)
    if written != canonical and text.strip() != canonical:
        if written.lower() == canonical.lower():
            notes.append(f"Case does not matter: it is read as `{canonical}`.")
        else:
            notes.append(f"It is read as `{canonical}`.")
    return tuple(notes)

"""The kinds of terms. Each prints itself as it is written: ``str(term)`` reads back as an equal term."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..versions import VersionRange
from .quantities import size_text


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
class KitTerm:
    """``kit NAME``: every term of the kit holds. ``terms`` is None if the kit does not exist; ``nearest`` is then the
    kit whose name is closest."""

    name: str
    terms: tuple[Term, ...] | None = None
    nearest: KitTerm | None = None

    def __str__(self) -> str:
        return f"kit {self.name}"


@dataclass(frozen=True)
class HostTerm:
    """``host NAME``"""

    name: str

    def __str__(self) -> str:
        return f"host {self.name}"


@dataclass(frozen=True)
class PaddockTerm:
    """``paddock NAME``"""

    name: str

    def __str__(self) -> str:
        return f"paddock {self.name}"


@dataclass(frozen=True)
class ToolTerm:
    """``tool NAME [RANGE]``"""

    name: str
    range: VersionRange | None = None

    def __str__(self) -> str:
        return f"tool {self.name}" + (f" {self.range}" if self.range else "")


@dataclass(frozen=True)
class CoresTerm:
    """``cores NUMBER``: at least so many."""

    least: int

    def __str__(self) -> str:
        return f"cores {self.least}"


@dataclass(frozen=True)
class MemoryTerm:
    """``memory SIZE``: at least so many bytes."""

    least: int

    def __str__(self) -> str:
        return f"memory {size_text(self.least)}"


@dataclass(frozen=True)
class DiskTerm:
    """``disk SIZE free``: at least so many bytes free where jobs work."""

    least: int

    def __str__(self) -> str:
        return f"disk {size_text(self.least)} free"


@dataclass(frozen=True)
class ServiceTerm:
    """``service NAME running``"""

    name: str

    def __str__(self) -> str:
        return f"service {self.name} running"


@dataclass(frozen=True)
class EnvTerm:
    """``env NAME [= VALUE]``: the variable is set in the agent's environment, or has this value."""

    name: str
    value: str | None = None

    def __str__(self) -> str:
        return f"env {self.name}" + ("" if self.value is None else f" = {_quoted(self.value)}")


@dataclass(frozen=True)
class GroupTerm:
    """``user group NAME``: the account that the agent runs under is in it."""

    name: str

    def __str__(self) -> str:
        return f"user group {_quoted(self.name)}"


@dataclass(frozen=True)
class DisplayTerm:
    """``display``: a program can open a window."""

    def __str__(self) -> str:
        return "display"


@dataclass(frozen=True)
class NotTerm:
    """``not TERM``: it is known not to hold."""

    term: Term

    def __str__(self) -> str:
        return f"not ({self.term})" if isinstance(self.term, AnyOf) else f"not {self.term}"


@dataclass(frozen=True)
class AnyOf:
    """``any of TERM or TERM``"""

    terms: tuple[Term, ...]

    def __str__(self) -> str:
        return "any of " + " or ".join(map(str, self.terms))


@dataclass(frozen=True)
class AllOf:
    """``(TERM and TERM)``, inside another term; by themselves its parts are terms of their own."""

    terms: tuple[Term, ...]

    def __str__(self) -> str:
        return f"({' and '.join(f'({one})' if isinstance(one, AnyOf) else str(one) for one in self.terms)})"


Simple = (
    OsTerm
    | ArchTerm
    | LabelTerm
    | KitTerm
    | HostTerm
    | PaddockTerm
    | ToolTerm
    | CoresTerm
    | MemoryTerm
    | DiskTerm
    | ServiceTerm
    | EnvTerm
    | GroupTerm
    | DisplayTerm
)
Term = Simple | NotTerm | AnyOf | AllOf


def _quoted(text: str) -> str:
    return text if text and not any(mark.isspace() or mark in '"()' for mark in text) else f'"{text}"'


def asked(term: Term) -> Iterator[Simple]:
    """The simple terms inside a term that speak for a host; those under a ``not`` do not, and those of a kit do."""
    match term:
        case NotTerm():
            return
        case AnyOf(terms) | AllOf(terms):
            for one in terms:
                yield from asked(one)
        case KitTerm(_, terms):
            yield term
            for one in terms or ():
                yield from asked(one)
        case _:
            yield term


def parts(term: Term) -> Iterator[Simple]:
    """All simple terms inside a term, those under a ``not`` too; a kit is one, and is not opened."""
    match term:
        case NotTerm(inner):
            yield from parts(inner)
        case AnyOf(terms) | AllOf(terms):
            for one in terms:
                yield from parts(one)
        case _:
            yield term


def negated(term: Term) -> Term:
    """``not`` of a term; two of them undo each other."""
    return term.term if isinstance(term, NotTerm) else NotTerm(term)


def joined(kind: type[AnyOf] | type[AllOf], terms: list[Term]) -> Term:
    """Several terms as one: the same kind inside is opened, repeats are left out, and one alone is itself."""
    opened: dict[Term, None] = {}
    for term in terms:
        opened.update(dict.fromkeys(term.terms if isinstance(term, kind) else (term,)))
    return next(iter(opened)) if len(opened) == 1 else kind(tuple(opened))

"""What terms need to know of names: the tools of the catalogue, and what each kit asks."""

from __future__ import annotations

from paddock_core.errors import CoreError
from paddock_core.terms import ToolWords, parse_terms

from ..process.state import part
from . import catalogue
from .models import Kit


class _Known:
    words: tuple[int, ToolWords] | None = None
    edition = 0


def words() -> ToolWords:
    """Read from the database once after each release and each change of a kit."""
    known, mine = catalogue.catalogue(), part(_Known)
    if mine.words is None or mine.words[0] != known.number:
        mine.words = known.number, _with_kits(known.words)
    return mine.words[1]


def edition() -> tuple[int, int]:
    """Changes whenever the vocabulary does, so that cached terms are parsed again."""
    return catalogue.catalogue().number, part(_Known).edition


def forget() -> None:
    """After a release, or a change of a kit."""
    known = part(_Known)
    known.words = None
    known.edition += 1


def _with_kits(plain: ToolWords) -> ToolWords:
    kits = {}
    for name, texts in Kit.objects.values_list("name", "terms"):
        try:
            kits[name.lower()] = parse_terms(texts, plain)
        except CoreError:  # the rules may have become stricter since it was kept; then no host meets it
            kits[name.lower()] = ()
    return ToolWords(plain.schemes, plain.aliases, {name: terms for name, terms in kits.items() if terms})

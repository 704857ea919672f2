"""What terms need to know of names: the tools of the catalogue, and what each kit asks."""

from __future__ import annotations

from paddock_core.errors import CoreError
from paddock_core.terms import ToolWords, parse_terms

from . import catalogue
from .models import Kit

_known: tuple[int, ToolWords] | None = None
_edition = 0


def words() -> ToolWords:
    """Read from the database once after each release and each change of a kit."""
    global _known
    known = catalogue.catalogue()
    if _known is None or _known[0] != known.number:
        _known = known.number, _with_kits(known.words)
    return _known[1]


def edition() -> tuple[int, int]:
    """Changes whenever the words do: what was read with other words is read anew."""
    return catalogue.catalogue().number, _edition


def forget() -> None:
    """After a release, or a change of a kit."""
    global _known, _edition
    _known = None
    _edition += 1


def _with_kits(plain: ToolWords) -> ToolWords:
    kits = {}
    for name, texts in Kit.objects.values_list("name", "terms"):
        try:
            kits[name.lower()] = parse_terms(texts, plain)
        except CoreError:  # the rules may have become stricter since it was kept; then no host meets it
            kits[name.lower()] = ()
    return ToolWords(plain.schemes, plain.aliases, {name: terms for name, terms in kits.items() if terms})

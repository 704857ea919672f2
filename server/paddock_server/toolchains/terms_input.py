"""Reads terms as people and pipelines write them, with the words that the catalogue and the kits give."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from paddock_core.errors import ContradictionError, TermError
from paddock_core.terms import MAX_TERMS, Asked, KitTerm, Term, parse_asked, parts, read_line

from ..errors import Invalid
from . import fleet_vocabulary as known_words


def read_asked(texts: Sequence[str], implied: Sequence[str] = ()) -> Asked:
    """Reads terms for a person, and those that the job's shells imply. Raises Invalid with every wrong one, its place,
    column and nearest word."""
    if len(texts) > MAX_TERMS:
        raise Invalid(f"A job has at most {MAX_TERMS} terms; these are {len(texts)}.")
    words = known_words.words()
    errors = []
    for number, text in enumerate(texts):
        try:
            read_line(text, words)
        except TermError as error:
            errors.append(
                {
                    "pointer": f"/terms/{number}",
                    "detail": error.sentence(),
                    "column": error.column,
                    "expected": list(error.expected),
                    "nearest": error.nearest,
                }
            )
    if errors:
        detail = "; ".join(f"term {int(str(e['pointer']).rsplit('/')[-1]) + 1}, {e['detail']}" for e in errors[:5])
        raise Invalid(detail, errors=errors)
    try:
        return parse_asked([*texts, *implied], words)
    except ContradictionError as error:
        if error.second >= len(texts):
            detail = f"{error} The shell implies `{implied[error.second - len(texts)]}`."
            raise Invalid(detail, errors=[{"pointer": "/shell", "detail": detail}]) from None
        pointed = [{"pointer": f"/terms/{i}", "detail": str(error)} for i in (error.first, error.second)]
        raise Invalid(f"Terms {error.first + 1} and {error.second + 1}: {error}", errors=pointed) from None


def read_terms(texts: Sequence[str]) -> tuple[Term, ...]:
    """The terms of something that is met or not, as a kit is: raises Invalid for preferences, and for other kits, which
    could go round in a circle."""
    asked = read_asked(texts)
    if asked.prefers:
        raise Invalid(f"`prefer {asked.prefers[0]}` is for jobs: here every term has to hold.")
    for term in asked.terms:
        if any(isinstance(one, KitTerm) for one in parts(term)):
            raise Invalid(f"`{term}`: a kit has terms of its own, and no other kit.")
    return asked.terms


def terms_of(texts: tuple[str, ...]) -> tuple[Term, ...]:
    """Reads the terms of a job; many jobs ask for the same."""
    return asked_of(texts).terms


def asked_of(texts: tuple[str, ...]) -> Asked:
    """Reads the lines of a job, terms and preferences."""
    return _asked_by(known_words.edition(), texts)


@lru_cache(maxsize=4096)
def _asked_by(edition: tuple[int, int], texts: tuple[str, ...]) -> Asked:
    return parse_asked(texts, known_words.words())

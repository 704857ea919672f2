"""A diagnosis: the cause, the evidence for it, what the evidence leaves open, and the remedy."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Possibility:
    """One of several causes that fit the evidence, and a command that tells it from the others."""

    sentence: str
    command: str = ""


@dataclass(frozen=True)
class Diagnosis:
    """``cause`` is a word that stays the same for the same cause; "" where nothing is wrong. ``known`` is the evidence,
    the nearest first; ``unknown`` what it cannot tell. Where several causes fit, ``possible`` lists them and there are
    no commands. ``remedy`` says what to do; ``commands`` do it, as root. Without commands a person must act."""

    cause: str
    sentence: str
    known: tuple[str, ...] = ()
    unknown: str = ""
    possible: tuple[Possibility, ...] = ()
    remedy: str = ""
    commands: tuple[str, ...] = ()


WELL = Diagnosis("", "Nothing is wrong.")

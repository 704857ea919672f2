"""One of several causes that fit the evidence."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Possibility:
    """One of several causes that fit the evidence, and a command that tells it from the others."""

    sentence: str
    command: str = ""

"""What the last decision found that no action follows from."""

from __future__ import annotations

from collections.abc import Mapping

from ..process.state import part


class _Last:
    def __init__(self) -> None:
        self.short: Mapping[str, int] = {}


def short() -> Mapping[str, int]:
    """The paddocks whose policy keeps more hosts awake than there are, with how many are missing."""
    return part(_Last).short


def remember_short(found: Mapping[str, int]) -> None:
    """Of the last decision."""
    part(_Last).short = found

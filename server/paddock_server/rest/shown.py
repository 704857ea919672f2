"""Rows as they are shown: with values beside them that are not columns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Generic, TypeVar

Row = TypeVar("Row")


@dataclass(frozen=True)
class Shown(Generic[Row]):
    """A row; its subclasses say what is shown beside it. The row's own fields are read through it, so that the
    serializer of the row serves both. Nothing is written through it."""

    row: Row

    def __getattr__(self, name: str) -> Any:
        return getattr(self.row, name)

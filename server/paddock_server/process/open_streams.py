"""Answers that are being sent piece by piece, by who reads them: they end when their reader is shut out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection
from typing import TypeAlias

from . import event_loop
from .state import part

Reader: TypeAlias = tuple[str, object]
"""A kind (session, token or person), and which one."""


class OpenStreams:
    """Belongs to the server's loop."""

    def __init__(self) -> None:
        self._ends: defaultdict[Reader, set[Callable[[], object]]] = defaultdict(set)

    def add(self, readers: Collection[Reader], end: Callable[[], object]) -> None:
        """``end`` is called once one of the readers is shut out."""
        for reader in readers:
            self._ends[reader].add(end)

    def discard(self, readers: Collection[Reader], end: Callable[[], object]) -> None:
        """The answer was sent, or its reader went away."""
        for reader in readers:
            self._ends[reader].discard(end)
            if not self._ends[reader]:
                del self._ends[reader]

    def end(self, reader: Reader) -> None:
        """Ends all that this reader reads."""
        for end in list(self._ends.get(reader, ())):
            end()


def end_stream(kind: str, which: object) -> None:
    """Safe from every thread."""
    event_loop.post(part(OpenStreams).end, (kind, which))

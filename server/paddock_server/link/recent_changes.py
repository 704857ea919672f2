"""The last changes that browsers heard of, numbered: a browser that was away for a moment asks for what it missed."""

from __future__ import annotations

import secrets
from collections import OrderedDict
from typing import Any

MAX_THINGS = 2000

Note = dict[str, Any]


class RecentChanges:
    """The newest note of each thing. Belongs to the server's loop. Numbers count from 1 within one start of the server,
    which ``start`` names."""

    def __init__(self) -> None:
        self.start = secrets.token_hex(8)
        self.number = 0
        self._notes: OrderedDict[tuple[str, str], Note] = OrderedDict()
        self._forgotten = 0
        """The highest number of a note that had to go for newer ones."""

    def add(self, note: Note) -> Note:
        """The note with its number."""
        self.number += 1
        key = note["noun"], note["name"]
        self._notes[key] = numbered = {**note, "number": self.number}
        self._notes.move_to_end(key)
        if len(self._notes) > MAX_THINGS:
            self._forgotten = self._notes.popitem(last=False)[1]["number"]
        return numbered

    def since(self, start: str, number: int) -> list[Note] | None:
        """What changed after ``number``, in the order of the changes; None where that is not known any more, or where
        ``number`` is of another start."""
        if start != self.start or not self._forgotten <= number <= self.number:
            return None
        return [note for note in self._notes.values() if note["number"] > number]

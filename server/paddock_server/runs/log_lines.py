"""What is read in a log: lines with their time and step, as they are shown, and those that hold a text."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from paddock_core.runs.log_text import PLAIN, Span, shown_line

from ..moments import moment
from ..work.models import Attempt
from .log_store import BLOCK, open_log, read_index

MAX_LINES = 2000
MAX_FOUND = 1000
MAX_RAW_LINE_BYTES = 64 * 1024
_ESCAPES = re.compile(rb"\x1b\[[0-9;:]*[A-Za-z]")


@dataclass(frozen=True)
class Line:
    """One line as it is shown. ``number`` counts from 1; ``at`` is when its start was read."""

    number: int
    at: datetime | None
    step: int
    spans: tuple[Span, ...]


@dataclass(frozen=True)
class Section:
    """The part of a log that is one step's: where it begins."""

    step: int
    line: int


class Log:
    """One attempt's log, to be read by lines."""

    def __init__(self, attempt: Attempt) -> None:
        self._file = attempt.log_file
        self._index = read_index(self._file)

    @property
    def size(self) -> int:
        """Bytes."""
        return int(self._index[-1]["offset"] + self._index[-1]["length"]) if len(self._index) else 0

    @property
    def total(self) -> int:
        """Lines, with one that is not yet ended."""
        if not len(self._index):
            return 0
        with open_log(self._file) as log:
            log.seek(int(self._index[-1]["offset"]))
            last = log.read(int(self._index[-1]["length"]))
        return int(self._index[-1]["lines"]) + last.count(b"\n") + (not last.endswith(b"\n"))

    def sections(self) -> list[Section]:
        """The first line of each step that printed something, in order."""
        steps, first = np.unique(self._index["step"], return_index=True)
        return [
            Section(int(step), int(self._index["lines"][place]) + 1)
            for step, place in sorted(zip(steps, first, strict=True), key=lambda one: one[1])
        ]

    def lines(self, first: int, count: int) -> list[Line]:
        """At most ``count`` lines from number ``first`` on."""
        if not len(self._index):
            return []
        count, wanted = min(count, MAX_LINES), max(1, first) - 1
        place = max(0, int(np.searchsorted(self._index["lines"], wanted, side="left")) - 1)
        number, offset = int(self._index["lines"][place]), int(self._index["offset"][place])
        found: list[Line] = []
        style = PLAIN
        # A piece may begin in the middle of a line: its number is known, its start lies before.
        is_begun = offset > 0 and not self._starts_a_line(offset)
        with open_log(self._file) as log:
            log.seek(offset)
            while len(found) < count:
                raw = log.readline(MAX_RAW_LINE_BYTES)
                if not raw:
                    break
                begun, offset = offset, offset + len(raw)
                rest = raw
                while rest and not rest.endswith(b"\n"):  # what is too long is passed over
                    rest = log.readline(BLOCK)
                    offset += len(rest)
                number += 1
                if is_begun:
                    is_begun = False
                    if number <= wanted:
                        continue
                spans, style = shown_line(raw.rstrip(b"\n"), style)
                if number > wanted:
                    found.append(Line(number, *self._came(begun), spans))
        return found

    def _starts_a_line(self, offset: int) -> bool:
        with open_log(self._file) as log:
            log.seek(offset - 1)
            return log.read(1) == b"\n"

    def _came(self, offset: int) -> tuple[datetime | None, int]:
        place = int(np.searchsorted(self._index["offset"], offset, side="right")) - 1
        return moment(float(self._index["at"][place])), int(self._index["step"][place])

    def find(self, text: str) -> list[int]:
        """The numbers of the lines that hold ``text``, whatever its case; the first MAX_FOUND."""
        needle = text.lower().encode()
        found: list[int] = []
        if not needle or not len(self._index):
            return found
        with open_log(self._file) as log:
            number, rest = 1, b""
            while block := log.read(BLOCK):
                block = rest + block
                cut = block.rfind(b"\n") + 1 or (len(block) if len(block) > 4 * BLOCK else 0)
                number = _find_in(block[:cut], needle, number, found)
                rest = block[cut:]
                if len(found) >= MAX_FOUND:
                    return found[:MAX_FOUND]
            _find_in(rest, needle, number, found)
        return found[:MAX_FOUND]


def _find_in(block: bytes, needle: bytes, number: int, found: list[int]) -> int:
    """Adds the numbers of matching lines of a block that begins with line ``number``; the number after it."""
    plain = _ESCAPES.sub(b"", block).lower() if b"\x1b" in block else block.lower()
    seen = at = 0
    while len(found) < MAX_FOUND and (at := plain.find(needle, at)) >= 0:
        number += plain.count(b"\n", seen, at)
        found.append(number)
        seen = at
        at = plain.find(b"\n", at)
        if at < 0:
            break
    return number + plain.count(b"\n", seen)

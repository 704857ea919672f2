"""The logs of attempts: one file of bytes each, and beside it an index of where each piece lies, when it came, and of
which step it is.

An index record is 32 bytes, little-endian: offset of the piece, newlines before it, time in seconds since the epoch,
step, and its length. So any line, and any step, is found without reading what is before it.
"""

from __future__ import annotations

import re
import struct
import threading
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from paddock_agent import wire
from paddock_core.runs.log_text import PLAIN, Span, shown_line

from ..work.models import Attempt, log_file

LARGEST = 40 * 1024 * 1024
"""Bytes of one log. Our agent stops before; this is for one that does not."""
MOST_LINES = 2000
MOST_FOUND = 1000
LONGEST_RAW_LINE = 64 * 1024
_BLOCK = 1024 * 1024
_RECORD = struct.Struct("<QQdII")
_FIELDS = np.dtype([("offset", "<u8"), ("lines", "<u8"), ("at", "<f8"), ("step", "<u4"), ("length", "<u4")])
_ESCAPES = re.compile(rb"\x1b\[[0-9;:]*[A-Za-z]")


@dataclass
class _End:
    """Where a log ends: bytes that are indexed, and newlines in them."""

    size: int
    lines: int


_locks = [threading.Lock() for _ in range(64)]
_ends: OrderedDict[str, _End] = OrderedDict()
_ends_lock = threading.Lock()


def append(job: int, number: int, pieces: Iterable[wire.LogChunk]) -> int:
    """Puts pieces at their places, and returns how many bytes of them were new. What is there already is passed over,
    so that a repeat is harmless; a gap, which only a broken agent leaves, is closed up."""
    file = log_file(job, number)
    with _locks[job % len(_locks)]:
        end = _end_of(file)
        size, lines = end.size, end.lines
        fresh, records = [], []
        for piece in pieces:
            data = piece.data[max(0, size - piece.offset) :][: max(0, LARGEST - size)]
            if data:
                fresh.append(data)
                records.append(_RECORD.pack(size, lines, piece.at, min(piece.step, 2**32 - 1), len(data)))
                size += len(data)
                lines += data.count(b"\n")
        if not fresh:
            return 0
        file.parent.mkdir(parents=True, exist_ok=True)
        with file.open("ab") as log:
            # What a killed server wrote and did not index was not acknowledged: the agent sends it again.
            log.truncate(end.size)
            log.writelines(fresh)
        with _index(file).open("ab") as index:
            index.writelines(records)
        end.size, end.lines = size, lines
    return sum(map(len, fresh))


def _index(file: Path) -> Path:
    return file.with_suffix(".index")


def _end_of(file: Path) -> _End:
    """Called with the log's lock."""
    with _ends_lock:
        if known := _ends.get(str(file)):
            _ends.move_to_end(str(file))
            return known
    end = _End(0, 0)
    index = _index(file)
    if index.exists():
        whole = index.stat().st_size // _RECORD.size * _RECORD.size
        with index.open("r+b") as records:
            records.truncate(whole)
            if whole:
                records.seek(whole - _RECORD.size)
                offset, lines, _, _, length = _RECORD.unpack(records.read(_RECORD.size))
                with file.open("rb") as log:
                    log.seek(offset)
                    end = _End(offset + length, lines + log.read(length).count(b"\n"))
    with _ends_lock:
        _ends[str(file)] = end
        while len(_ends) > 4000:
            _ends.popitem(last=False)
    return end


def read(attempt: Attempt, offset: int = 0) -> bytes:
    """The log from ``offset`` bytes on; b"" where there is nothing yet."""
    try:
        with attempt.log_file.open("rb") as log:
            log.seek(offset)
            return log.read(LARGEST + 1)
    except FileNotFoundError:
        return b""


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
        try:
            raw = _index(self._file).read_bytes()
        except FileNotFoundError:
            raw = b""
        self._index = np.frombuffer(raw[: len(raw) // _RECORD.size * _RECORD.size], _FIELDS)

    @property
    def size(self) -> int:
        """Bytes."""
        return int(self._index[-1]["offset"] + self._index[-1]["length"]) if len(self._index) else 0

    @property
    def total(self) -> int:
        """Lines, with one that is not yet ended."""
        if not len(self._index):
            return 0
        with self._file.open("rb") as log:
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
        count, wanted = min(count, MOST_LINES), max(1, first) - 1
        place = max(0, int(np.searchsorted(self._index["lines"], wanted, side="left")) - 1)
        number, offset = int(self._index["lines"][place]), int(self._index["offset"][place])
        found: list[Line] = []
        style = PLAIN
        # A piece may begin in the middle of a line: its number is known, its start lies before.
        is_begun = offset > 0 and not self._starts_a_line(offset)
        with self._file.open("rb") as log:
            log.seek(offset)
            while len(found) < count:
                raw = log.readline(LONGEST_RAW_LINE)
                if not raw:
                    break
                begun, offset = offset, offset + len(raw)
                rest = raw
                while rest and not rest.endswith(b"\n"):  # what is too long is passed over
                    rest = log.readline(_BLOCK)
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
        with self._file.open("rb") as log:
            log.seek(offset - 1)
            return log.read(1) == b"\n"

    def _came(self, offset: int) -> tuple[datetime | None, int]:
        place = int(np.searchsorted(self._index["offset"], offset, side="right")) - 1
        at = float(self._index["at"][place])
        return (datetime.fromtimestamp(at, UTC) if 0 < at < 4e9 else None), int(self._index["step"][place])

    def find(self, text: str) -> list[int]:
        """The numbers of the lines that hold ``text``, whatever its case; the first MOST_FOUND."""
        needle = text.lower().encode()
        found: list[int] = []
        if not needle or not len(self._index):
            return found
        with self._file.open("rb") as log:
            number, rest = 1, b""
            while block := log.read(_BLOCK):
                block = rest + block
                cut = block.rfind(b"\n") + 1 or (len(block) if len(block) > 4 * _BLOCK else 0)
                number = _find_in(block[:cut], needle, number, found)
                rest = block[cut:]
                if len(found) >= MOST_FOUND:
                    return found[:MOST_FOUND]
            _find_in(rest, needle, number, found)
        return found[:MOST_FOUND]


def _find_in(block: bytes, needle: bytes, number: int, found: list[int]) -> int:
    """Adds the numbers of matching lines of a block that begins with line ``number``; the number after it."""
    plain = _ESCAPES.sub(b"", block).lower() if b"\x1b" in block else block.lower()
    seen = at = 0
    while len(found) < MOST_FOUND and (at := plain.find(needle, at)) >= 0:
        number += plain.count(b"\n", seen, at)
        found.append(number)
        seen = at
        at = plain.find(b"\n", at)
        if at < 0:
            break
    return number + plain.count(b"\n", seen)

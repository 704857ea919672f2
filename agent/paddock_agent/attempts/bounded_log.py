"""Bounds the output of the steps: sends the head as it is written, and of the rest only the tail at the end."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass

from ..wire import MAX_CHUNK_BYTES

HEAD = 32 * 1024 * 1024
"""Bytes sent as they are written."""
TAIL = 1024 * 1024
"""Bytes of the end that are always sent: that is where the error is."""


@dataclass(frozen=True)
class Piece:
    """Bytes at their place in the log, of one step, with when they were read."""

    offset: int
    data: bytes
    at: float
    step: int


class BoundedLog:
    """Turns what was printed into pieces of at most MAX_CHUNK_BYTES bytes."""

    def __init__(self, head: int = HEAD, tail: int = TAIL) -> None:
        self._room = head
        self._tail_size = tail
        self._tail: deque[tuple[bytes, float, int]] = deque()
        self._kept = 0
        self._left_out = 0
        self._offset = 0
        self._step = 0

    def write(self, data: bytes, at: float, step: int) -> Iterator[Piece]:
        """The pieces to tell now."""
        self._step = step
        head, rest = data[: self._room], data[self._room :]
        self._room -= len(head)
        yield from self._pieces(head, at, step)
        if rest:
            self._tail.append((rest, at, step))
            self._kept += len(rest)
            while self._kept - len(self._tail[0][0]) >= self._tail_size:
                self._drop(len(self._tail[0][0]))

    def end(self, at: float) -> Iterator[Piece]:
        """What is left to tell at the end: how much was left out, and the tail."""
        if self._kept > self._tail_size:
            self._drop(self._kept - self._tail_size)
        if self._left_out:
            mark = f"\n… {self._left_out:,} bytes are left out here: a log keeps its first and its last part …\n"
            yield from self._pieces(mark.encode(), at, self._tail[0][2] if self._tail else self._step)
        for data, when, step in self._tail:
            yield from self._pieces(data, when, step)
        self._tail.clear()

    def _drop(self, size: int) -> None:
        """Drops bytes of the oldest part of the tail, which has at least so many."""
        data, at, step = self._tail.popleft()
        if rest := data[size:]:
            self._tail.appendleft((rest, at, step))
        self._kept -= size
        self._left_out += size

    def _pieces(self, data: bytes, at: float, step: int) -> Iterator[Piece]:
        for start in range(0, len(data), MAX_CHUNK_BYTES):
            chunk = data[start : start + MAX_CHUNK_BYTES]
            yield Piece(self._offset, chunk, at, step)
            self._offset += len(chunk)

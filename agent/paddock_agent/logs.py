"""What a script prints, bounded: the head is told as it is written, of the rest only the tail is kept for the end."""

from __future__ import annotations

from collections.abc import Iterator

from .wire import LARGEST_CHUNK

HEAD = 8 * 1024 * 1024
"""Bytes told as they are written."""
TAIL = 256 * 1024
"""Bytes of the end that are told in any case: that is where the error is."""


class BoundedLog:
    """Turns what was printed into chunks ``(offset, data)``, each at most LARGEST_CHUNK bytes."""

    def __init__(self, head: int = HEAD, tail: int = TAIL) -> None:
        self._room = head
        self._tail_size = tail
        self._tail = bytearray()
        self._left_out = 0
        self._offset = 0

    def write(self, data: bytes) -> Iterator[tuple[int, bytes]]:
        """The chunks to tell now."""
        head, rest = data[: self._room], data[self._room :]
        self._room -= len(head)
        yield from self._chunks(head)
        self._tail += rest
        if len(self._tail) > 2 * self._tail_size:
            self._drop(len(self._tail) - self._tail_size)

    def end(self) -> Iterator[tuple[int, bytes]]:
        """What is left to tell at the end: how much was left out, and the tail."""
        if len(self._tail) > self._tail_size:
            self._drop(len(self._tail) - self._tail_size)
        if self._left_out:
            yield from self._chunks(
                f"\n… {self._left_out:,} bytes are left out here: a log keeps its first and its last part …\n".encode()
            )
        yield from self._chunks(bytes(self._tail))
        self._tail.clear()

    def _drop(self, size: int) -> None:
        del self._tail[:size]
        self._left_out += size

    def _chunks(self, data: bytes) -> Iterator[tuple[int, bytes]]:
        for start in range(0, len(data), LARGEST_CHUNK):
            chunk = data[start : start + LARGEST_CHUNK]
            yield self._offset, chunk
            self._offset += len(chunk)

"""The unacknowledged log of one attempt: records in segment files."""

from __future__ import annotations

import contextlib
import errno
import logging
import os
from collections import deque
from pathlib import Path
from typing import NamedTuple
from urllib.parse import quote

from .. import wire
from ..wire import log_frames

log = logging.getLogger("paddock.agent")

SEGMENT = 4 * 1024 * 1024
"""A segment of this many bytes is full. After a restart, the agent sends at most one segment per log twice."""


class _Segment:
    """Consecutive records: in a file, or in memory while the file cannot be written. ``start`` and ``size`` are the
    sizes of the log before the first record and after the last one, in bytes."""

    def __init__(self, file: Path, start: int) -> None:
        self._file = file
        self.start = self.size = start
        self.length = 0
        self.is_full = False
        self._memory = bytearray()

    @classmethod
    def found(cls, file: Path) -> _Segment | None:
        """Reads the segment of an earlier agent; None for a file without a complete record."""
        records = list(log_frames.whole_records(file.read_bytes()))
        if not records:
            return None
        found = cls(file, records[0].offset)
        found.length, found.size, found.is_full = records[-1].end, records[-1].size, True
        return found

    def add(self, record: bytes, size: int) -> None:
        """Appends a record, after which the log has ``size`` bytes."""
        self._memory += record
        self.length += len(record)
        self.size = size
        self.is_full = self.length >= SEGMENT
        self.write()

    def write(self) -> None:
        """Writes the records that are still in memory, all or none of them."""
        if not self._memory:
            return
        written = self.length - len(self._memory)
        flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | getattr(os, "O_BINARY", 0)
        if not written:
            flags |= os.O_TRUNC  # a file of the same name that could not be deleted
        try:
            file = os.open(self._file, flags, 0o600)
            try:
                if os.write(file, self._memory) != len(self._memory):
                    os.ftruncate(file, written)
                    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
            finally:
                os.close(file)
        except OSError as error:
            if not written:
                log.warning("Log output stays in memory: the spool cannot be written (%s).", error)
        else:
            self._memory.clear()

    def read(self, place: int, most: int) -> bytes:
        """Reads at most ``most`` bytes. Raises OSError."""
        written = self.length - len(self._memory)
        if place >= written:
            return bytes(self._memory[place - written : place - written + most])
        with self._file.open("rb", buffering=0) as file:
            file.seek(place)
            return file.read(min(most, written - place))

    def cut(self, length: int, size: int) -> None:
        """Drops everything after the first ``length`` bytes, at which the log has ``size`` bytes."""
        self.length, self.size, self.is_full = length, size, True
        self._memory.clear()

    def remove(self) -> None:
        """Deletes the file. If that fails, the agent sends it again after a restart, which is harmless."""
        with contextlib.suppress(OSError):
            self._file.unlink(missing_ok=True)


class _Place(NamedTuple):
    """A byte of a segment, and the size of the log up to it."""

    segment: _Segment
    byte: int
    size: int


class SpooledLog:
    """The lane of one attempt in the spool."""

    def __init__(self, folder: Path, attempt: str) -> None:
        self._folder = folder
        self._attempt = attempt
        self._made = 0
        self._segments: deque[_Segment] = deque()
        self._sent: _Place | None = None
        self._in_flight: deque[_Place] = deque()
        self._acknowledged: _Place | None = None

    def load(self, file: Path, number: int) -> None:
        """Adds a segment file of an earlier agent, in order. Raises OSError."""
        self._made = number
        if segment := _Segment.found(file):
            self._segments.append(segment)
        else:
            file.unlink()

    @property
    def size(self) -> int:
        """The size of the log in bytes; 0 once all of it is acknowledged."""
        return self._segments[-1].size if self._segments else 0

    @property
    def sent_size(self) -> int:
        """The size of the log that was sent over this connection or acknowledged before."""
        return self._size_at(self._sent)

    @property
    def in_flight(self) -> int:
        """Bytes that were sent and are not acknowledged."""
        return self._size_at(self._sent) - self._size_at(self._acknowledged)

    def _size_at(self, place: _Place | None) -> int:
        start = self._segments[0].start if self._segments else 0
        return max(start, place.size) if place else start

    @property
    def is_acknowledged(self) -> bool:
        """Whether the server has the whole log."""
        return not self._segments

    def add(self, piece: wire.LogChunk) -> None:
        """Appends a piece."""
        if not self._segments or self._segments[-1].is_full:
            self._made += 1
            file = self._folder / f"{quote(self._attempt, safe='')}.{self._made:06}"
            self._segments.append(_Segment(file, piece.offset))
        self._segments[-1].add(log_frames.record(piece), piece.offset + len(piece.data))

    def write(self) -> None:
        """Retries writing the segments that a full disk kept in memory."""
        for segment in self._segments:
            segment.write()

    def rewind(self) -> None:
        """Starts again at the first unacknowledged byte, for a new connection."""
        self._sent = self._acknowledged
        self._in_flight.clear()

    def next_records(self) -> bytes:
        """The next complete records to send, at most MAX_FRAME_BYTES bytes; b"" once all are sent."""
        while place := self._next_place():
            try:
                data = place.segment.read(place.byte, log_frames.MAX_FRAME_BYTES)
            except OSError as error:
                log.warning("Part of a log is lost: the spool cannot be read (%s).", error)
                data = b""
            if records := list(log_frames.whole_records(data)):
                self._sent = _Place(place.segment, place.byte + records[-1].end, records[-1].size)
                self._in_flight.append(self._sent)
                return data[: records[-1].end]
            place.segment.cut(place.byte, place.size)
            self.forget(self._size_at(self._acknowledged))
        return b""

    def _next_place(self) -> _Place | None:
        sent = self._sent
        if sent and sent.segment in self._segments:
            if sent.byte < sent.segment.length:
                return sent
            later = list(self._segments)[self._segments.index(sent.segment) + 1 :]
        else:
            later = list(self._segments)
        return next((_Place(one, 0, one.start) for one in later if one.length), None)

    def forget(self, size: int) -> None:
        """Drops the first ``size`` bytes of the log, which the server acknowledged."""
        while self._in_flight and self._in_flight[0].size <= size:
            self._acknowledged = self._in_flight.popleft()
        while self._segments and self._segments[0].size <= size:
            self._segments.popleft().remove()

"""Binary format of logs, on the wire and in the agent's spool.

A frame is one binary WebSocket message: the length of the attempt's name in two bytes, the name, then records. A record
is a head of 24 bytes, little-endian, and the data. The head has the offset in the log, the time of reading in seconds
since the epoch, the step, and the length of the data.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Iterator
from typing import NamedTuple

import msgspec

from ..errors import BadMessage
from .shared import MAX_CHUNK_BYTES, MAX_MESSAGE_BYTES
from .work import LogChunk

_HEAD = struct.Struct("<QdII")
_NAME_LENGTH = struct.Struct("<H")
MAX_FRAME_BYTES = 256 * 1024
"""Maximum bytes of records per frame. A single record is always smaller."""
MAX_NAME_BYTES = 1000
"""Bytes. A ``Word`` has at most 200 characters, of at most four bytes each."""
HIGHEST_OFFSET = 2**53


class LogFrame(msgspec.Struct, frozen=True):
    """Pieces of one attempt's log, in order."""

    attempt: str
    pieces: list[LogChunk]


def record(piece: LogChunk) -> bytes:
    """Encodes a piece."""
    return _HEAD.pack(piece.offset, piece.at, piece.step, len(piece.data)) + piece.data


class Record(NamedTuple):
    """A record in a buffer: where its data starts and ends, and its head."""

    start: int
    end: int
    offset: int
    at: float
    step: int

    @property
    def size(self) -> int:
        """The size of the log after this piece."""
        return self.offset + self.end - self.start


def whole_records(data: bytes, place: int = 0) -> Iterator[Record]:
    """The complete records of ``data`` from ``place`` on."""
    while place + _HEAD.size <= len(data):
        offset, at, step, length = _HEAD.unpack_from(data, place)
        start, place = place + _HEAD.size, place + _HEAD.size + length
        if not 0 < length <= MAX_CHUNK_BYTES or place > len(data):
            return
        yield Record(start, place, offset, at, step)


def frame(attempt: str, records: bytes) -> bytes:
    """A frame of encoded records. Raises BadMessage for a name that is too long."""
    name = attempt.encode()
    if len(name) > MAX_NAME_BYTES:
        raise BadMessage(f"the name of an attempt has {len(name)} bytes, over the limit of {MAX_NAME_BYTES}")
    return _NAME_LENGTH.pack(len(name)) + name + records


def read_log_frame(data: bytes) -> LogFrame:
    """Reads a frame. Raises BadMessage."""
    if len(data) > MAX_MESSAGE_BYTES:
        raise BadMessage(f"a frame of {len(data)} bytes is over the limit of {MAX_MESSAGE_BYTES}")
    start = _NAME_LENGTH.size
    place = start + (_NAME_LENGTH.unpack_from(data)[0] if len(data) >= start else 0)
    if place >= len(data):
        raise BadMessage("a frame of log has no name of an attempt, or nothing after it")
    try:
        attempt = data[start:place].decode()
    except UnicodeDecodeError as error:
        raise BadMessage(f"the attempt's name in a frame of log is not UTF-8: {error}") from None
    pieces = []
    for one in whole_records(data, place):
        if one.offset > HIGHEST_OFFSET or not math.isfinite(one.at):
            raise BadMessage(f"a piece of log claims the offset {one.offset} and the time {one.at}")
        part = data[one.start : one.end]
        pieces.append(LogChunk(attempt=attempt, offset=one.offset, data=part, at=one.at, step=one.step))
        place = one.end
    if place != len(data):
        raise BadMessage(f"a frame of log has {len(data) - place} bytes at its end that are no piece of it")
    return LogFrame(attempt, pieces)

"""The logs of attempts: one file of bytes each, and beside it an index of where each piece lies, when it came, and of
which step it is. Some time after the attempt is over, both are packed.

An index record is 32 bytes, little-endian: offset of the piece, newlines before it, time in seconds since the epoch,
step, and its length. So any line, and any step, is found without reading what is before it.
"""

from __future__ import annotations

import contextlib
import errno
import gzip
import hashlib
import os
import shutil
import struct
import threading
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from paddock_agent import wire

from ..process.state import part
from ..work.models import Attempt
from . import packing

MAX_LOG_BYTES = 40 * 1024 * 1024
"""Bytes of one log. Our agent stops before; this is for one that does not."""
BLOCK = 1024 * 1024
_RECORD = struct.Struct("<QQdII")
FIELDS = np.dtype([("offset", "<u8"), ("lines", "<u8"), ("at", "<f8"), ("step", "<u4"), ("length", "<u4")])
"""The same record, for an index that is read whole."""


@dataclass
class _End:
    """Where a log ends: bytes that are indexed, and newlines in them."""

    size: int
    lines: int


_locks = [threading.Lock() for _ in range(64)]


class _Ends(OrderedDict[str, _End]):
    """Where the files of logs end that were appended to last."""

    def __init__(self) -> None:
        super().__init__()
        self.lock = threading.Lock()


def append(file: Path, pieces: Iterable[wire.LogChunk]) -> int:
    """Puts pieces at their places in the log ``file``, and returns how many bytes of them were new. What is there
    already is passed over, so that a repeat is harmless; a gap, which only a broken agent leaves, is closed up."""
    with _lock_of(file):
        _unpack(file)
        end = _end_of(file)
        size, lines = end.size, end.lines
        fresh, records = [], []
        for piece in pieces:
            data = piece.data[max(0, size - piece.offset) :][: max(0, MAX_LOG_BYTES - size)]
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


def pack(file: Path) -> None:
    """Packs the log of an attempt that is over. One that grows, or does not exist, stays as it is."""
    with contextlib.suppress(FileNotFoundError), file.open("rb") as plain:
        fresh = _packed(file).with_suffix(".new")
        with fresh.open("wb") as packed:
            packing.pack(plain, packed)
            packed.flush()
            os.fsync(packed.fileno())
        index = gzip.compress(_index(file).read_bytes(), mtime=0)
        with _lock_of(file):
            if file.stat().st_size != plain.tell():
                fresh.unlink()
                return
            _packed(_index(file)).write_bytes(index)
            fresh.replace(_packed(file))
            file.unlink()
            _index(file).unlink()
            _forget_end(file)


def remove(file: Path) -> None:
    """Removes a log, packed or not."""
    with _lock_of(file):
        for one in (file, _index(file)):
            one.unlink(missing_ok=True)
            _packed(one).unlink(missing_ok=True)
        _forget_end(file)


def disk_use(file: Path) -> int:
    """Bytes that a log takes on the disk, with its index, packed or not."""
    found = 0
    for one in (file, _index(file)):
        for place in (one, _packed(one)):
            with contextlib.suppress(FileNotFoundError):
                found += place.stat().st_size
    return found


def _lock_of(file: Path) -> threading.Lock:
    return _locks[hash(file) % len(_locks)]


def _unpack(file: Path) -> None:
    """Makes a packed log one that can grow: its agent was given up, and had more to say. Called with the log's lock."""
    if not file.exists() and _packed(file).exists():
        _index(file).write_bytes(_index_of(file))
        fresh = file.with_suffix(".new")
        with packing.open_packed(_packed(file)) as packed, fresh.open("wb") as plain:
            shutil.copyfileobj(packed, plain, BLOCK)
        fresh.replace(file)
        _packed(file).unlink()
        _packed(_index(file)).unlink()


def _index(file: Path) -> Path:
    return file.with_suffix(".index")


def _packed(file: Path) -> Path:
    return file.with_suffix(f"{file.suffix}.gz")


def read_index(file: Path) -> np.ndarray:
    """The index of a log: a row of FIELDS for each piece; none without a log."""
    raw = _index_of(file)
    return np.frombuffer(raw[: len(raw) // _RECORD.size * _RECORD.size], FIELDS)


def _index_of(file: Path) -> bytes:
    with contextlib.suppress(FileNotFoundError):
        return _index(file).read_bytes()
    with contextlib.suppress(FileNotFoundError):
        return gzip.decompress(_packed(_index(file)).read_bytes())
    return b""


def sha256_of(attempt: Attempt) -> str:
    """Of what it printed, in 64 hexadecimal digits; "" where there is nothing."""
    with contextlib.suppress(FileNotFoundError), open_log(attempt.log_file) as log:
        return hashlib.file_digest(log, "sha256").hexdigest()  # type: ignore[arg-type]  # a file has readinto
    return ""


def open_log(file: Path) -> BinaryIO:
    """A log to be read, packed or not. Raises FileNotFoundError."""
    try:
        return file.open("rb")
    except FileNotFoundError:
        return packing.open_packed(_packed(file))


def _forget_end(file: Path) -> None:
    ends = part(_Ends)
    with ends.lock:
        ends.pop(str(file), None)


def _end_of(file: Path) -> _End:
    """Called with the log's lock."""
    ends = part(_Ends)
    with ends.lock:
        if known := ends.get(str(file)):
            ends.move_to_end(str(file))
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
    ends = part(_Ends)
    with ends.lock:
        ends[str(file)] = end
        while len(ends) > 4000:
            ends.popitem(last=False)
    return end


def read(attempt: Attempt, offset: int = 0) -> bytes:
    """The log from ``offset`` bytes on; b"" where there is nothing yet."""
    try:
        with open_log(attempt.log_file) as log:
            log.seek(offset)
            return log.read(MAX_LOG_BYTES + 1)
    except FileNotFoundError:
        return b""
    except OSError as error:
        if error.errno != errno.EINVAL:
            raise
        return b""  # an offset beyond what the file system can have

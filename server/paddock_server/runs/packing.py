"""Logs of attempts that are over, packed: gzip (RFC 1952) in members of MEMBER bytes of text, so that ``zcat`` reads
the whole, and any part is read here without what is before it.

Each member's header has an extra field, ``PL`` and four bytes: the member's own length, little-endian.
"""

from __future__ import annotations

import io
import struct
import zlib
from pathlib import Path
from typing import BinaryIO

MEMBER = 256 * 1024
_HEADER = struct.Struct("<4sIBBH2sHI")
_TRAILER = struct.Struct("<II")
_EXTRA_LENGTH = 8


def pack(plain: BinaryIO, packed: BinaryIO) -> None:
    """Writes all of ``plain`` into ``packed``; nothing where it is empty."""
    while text := plain.read(MEMBER):
        deflate = zlib.compressobj(6, zlib.DEFLATED, -zlib.MAX_WBITS)
        body = deflate.compress(text) + deflate.flush()
        length = _HEADER.size + len(body) + _TRAILER.size
        packed.write(_HEADER.pack(b"\x1f\x8b\x08\x04", 0, 0, 255, _EXTRA_LENGTH, b"PL", 4, length))
        packed.write(body)
        packed.write(_TRAILER.pack(zlib.crc32(text), len(text)))


def open_packed(file: Path) -> BinaryIO:
    """A packed file, to be read and sought in as if it was not. Raises OSError where it is broken or not there."""
    return io.BufferedReader(_Packed(file), MEMBER)


class _Packed(io.RawIOBase):
    def __init__(self, file: Path) -> None:
        self._file = file.open("rb")
        self._starts: list[int] = []
        self._size = self._at = 0
        self._number, self._text = -1, b""
        try:
            self._find_members()
        except Exception:
            self._file.close()
            raise

    def _find_members(self) -> None:
        start, end = 0, self._file.seek(0, io.SEEK_END)
        while start < end:
            self._file.seek(start)
            length = self._length_of_member(self._file.read(_HEADER.size))
            if start + length > end:
                raise self._broken("its last member is cut short")
            self._starts.append(start)
            start += length
        if self._starts:
            self._file.seek(end - _TRAILER.size)
            last = _TRAILER.unpack(self._file.read(_TRAILER.size))[1]
            self._size = (len(self._starts) - 1) * MEMBER + last

    def _length_of_member(self, header: bytes) -> int:
        if len(header) == _HEADER.size:
            magic, _, _, _, extra, mark, _, length = _HEADER.unpack(header)
            if (magic, extra, mark) == (b"\x1f\x8b\x08\x04", _EXTRA_LENGTH, b"PL") and length > _HEADER.size:
                return int(length)
        raise self._broken("a member does not begin as it should")

    def _broken(self, why: str) -> OSError:
        return OSError(f"The packed log {self._file.name} cannot be read: {why}.")

    def _member(self, number: int) -> bytes:
        if number != self._number:
            self._file.seek(self._starts[number])
            length = self._length_of_member(self._file.read(_HEADER.size))
            body = self._file.read(length - _HEADER.size - _TRAILER.size)
            try:
                text = zlib.decompress(body, -zlib.MAX_WBITS)
            except zlib.error as error:
                raise self._broken(str(error)) from None
            if _TRAILER.unpack(self._file.read(_TRAILER.size)) != (zlib.crc32(text), len(text)):
                raise self._broken("the check of a member is wrong")
            self._number, self._text = number, text
        return self._text

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence]
        self._at = max(0, base + offset)
        return self._at

    def readinto(self, into: memoryview) -> int:  # type: ignore[override]
        if self._at >= self._size:
            return 0
        number, within = divmod(self._at, MEMBER)
        piece = self._member(number)[within : within + len(into)]
        into[: len(piece)] = piece
        self._at += len(piece)
        return len(piece)

    def close(self) -> None:
        self._file.close()
        super().close()

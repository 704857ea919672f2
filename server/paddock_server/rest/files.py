"""Files that hosts made: hashed, and sent to a browser in pieces, whatever their size, and never as a page."""

from __future__ import annotations

import asyncio
import hashlib
import os
from collections.abc import AsyncIterator
from pathlib import Path
from typing import BinaryIO

from django.http import HttpResponseBase, StreamingHttpResponse
from django.utils.http import content_disposition_header

PIECE = 256 * 1024


def sha256_of(file: Path) -> str:
    """In 64 hexadecimal digits. Raises FileNotFoundError."""
    with file.open("rb") as data:
        return hashlib.file_digest(data, "sha256").hexdigest()


def sent_file(file: Path, kind: str, name: str, *, to_save: bool) -> HttpResponseBase:
    """The file as ``kind``, to be shown or to be saved as ``name``. Raises FileNotFoundError."""
    return sent(file.open("rb"), kind, name, to_save=to_save)


def sent(data: BinaryIO, kind: str, name: str, *, to_save: bool) -> HttpResponseBase:
    """The same for a file that is open; it is closed when it is sent.

    An asynchronous iterator: of a plain one the server would gather the whole file in memory first.
    """
    size = data.seek(0, os.SEEK_END)
    response = StreamingHttpResponse(_pieces(data, size), content_type=kind)
    response.headers["Content-Length"] = str(size)
    response.headers["Content-Disposition"] = content_disposition_header(to_save, name) or "inline"
    return harmless(response)


async def _pieces(data: BinaryIO, size: int) -> AsyncIterator[bytes]:
    """The size at the start: a log may grow."""
    with data:
        data.seek(0)
        while size > 0 and (piece := await asyncio.to_thread(data.read, min(PIECE, size))):
            size -= len(piece)
            yield piece


def harmless(response: HttpResponseBase) -> HttpResponseBase:
    """It runs no script here, whatever it looks like."""
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Content-Security-Policy"] = "sandbox; default-src 'none'"
    return response

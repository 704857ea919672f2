"""A recorded past as bytes: NumPy's own open format, a ZIP of ``.npy`` files."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import numpy as np

from paddock_core.errors import CoreError
from paddock_core.planning.past import COLUMNS, TABLES, TIMES, Ask, Past

MAX_BYTES = 256 * 1024 * 1024
"""A past that unpacks to more is refused."""


class PastError(CoreError):
    """A recorded past that cannot be read."""


def packed(past: Past) -> bytes:
    """A past as NumPy's own open format, a ZIP of ``.npy`` files: ``columns`` has one row per column of ``COLUMNS``,
    times in milliseconds; ``after`` has the two rows of the order between jobs; ``tables`` is JSON."""
    tables: dict[str, Any] = {table: list(getattr(past, table)) for table in TABLES.values()}
    tables["asks"] = [[list(ask.terms), list(ask.prefers), ask.slots, list(ask.paddocks)] for ask in past.asks]
    text = np.frombuffer(json.dumps(tables).encode(), np.uint8)
    # Milliseconds as whole numbers pack far better than floating point, and are as exact as the record.
    columns = [np.round(getattr(past, name) * (1000 if name in TIMES else 1)).astype(np.int64) for name in COLUMNS]
    after = np.stack([past.after_run.astype(np.int64), past.after_job])
    file = io.BytesIO()
    np.savez_compressed(file, tables=text, columns=np.stack(columns), after=after)
    return file.getvalue()


def unpacked(data: bytes) -> Past:
    """The past that was packed. Raises PastError for anything else."""
    try:
        if sum(part.file_size for part in zipfile.ZipFile(io.BytesIO(data)).infolist()) > MAX_BYTES:
            raise PastError("The recorded past is too large to be unpacked.")
        with np.load(io.BytesIO(data), allow_pickle=False) as read:
            matrix, after = read["columns"], read["after"]
            tables = json.loads(read["tables"].tobytes())
        columns: dict[str, Any] = {
            name: row / 1000.0 if name in TIMES else row.astype(np.int64 if name == "job" else np.int32)
            for name, row in zip(COLUMNS, matrix, strict=True)
        }
        columns |= {"after_run": after[0].astype(np.int32), "after_job": after[1]}
        columns["asks"] = tuple(
            Ask(tuple(terms), tuple(prefers), slots, tuple(paddocks))
            for terms, prefers, slots, paddocks in tables["asks"]
        )
        return Past(**columns | {name: tuple(tables[name]) for name in TABLES.values() if name != "asks"})
    except (OSError, ValueError, KeyError, TypeError, zipfile.BadZipFile) as error:
        raise PastError(f"The recorded past cannot be read: {error}.") from error

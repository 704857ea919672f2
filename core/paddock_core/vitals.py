"""Readings of a host: which there are, what can be believed of them, and how they are kept thinned.

A host is not to be believed: a number that cannot be is left out, and named, so that a finding can say so.
"""

from __future__ import annotations

import math
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

PETABYTE = 2.0**50


@dataclass(frozen=True)
class Field:
    """One reading: its name on the wire, what people call it, its unit, and the range that can be."""

    name: str
    title: str
    unit: str
    least: float
    most: float


FIELDS = (
    Field("load", "Load", "", 0, 100_000),
    Field("memory_free", "Memory free", "bytes", 0, PETABYTE),
    Field("disk_free", "Disk free, work folder", "bytes", 0, PETABYTE),
    Field("system_free", "Disk free, system", "bytes", 0, PETABYTE),
    Field("clock", "Clock ahead of the server's", "s", -1e9, 1e9),
    Field("open_files", "Open files of the agent", "", 0, 1e8),
    Field("uptime", "Uptime", "s", 0, 1e10),
    Field("agent_memory", "Memory of the agent", "bytes", 0, PETABYTE),
)
NAMES = tuple(field.name for field in FIELDS)
WIDTH = len(FIELDS)

MINUTE, HOUR = 60, 3600
FULL_FOR, BY_MINUTE_FOR, BY_HOUR_FOR = HOUR, 48 * HOUR, 366 * 24 * HOUR
"""Seconds for which readings are kept: each one, then the minute's least, mean and most, then the hour's."""


@dataclass(frozen=True)
class Cleaned:
    """Readings that can be: a row of WIDTH numbers, NaN where there is none; ``invalid`` names what was left out."""

    row: tuple[float, ...]
    invalid: tuple[str, ...] = ()


def cleaned(given: Mapping[str, float]) -> Cleaned:
    """What can be believed of the readings in ``given``, by field name; those that are missing are NaN.

    >>> cleaned({"load": -1.0}).invalid
    ('load',)
    """
    row, invalid = [], []
    for field in FIELDS:
        value = given.get(field.name)
        if value is None:
            row.append(math.nan)
        elif field.least <= value <= field.most:
            row.append(float(value))
        else:  # also NaN, which compares with nothing
            row.append(math.nan)
            invalid.append(field.name)
    return Cleaned(tuple(row), tuple(invalid))


def summary(rows: Floats) -> Floats:
    """Least, mean and most of each field: shape (n, WIDTH) or (n, WIDTH, 3) in, (WIDTH, 3) out; NaN where nothing was
    read. Summaries of equal spans are summed up as well: the mean is then the mean of their means."""
    least, mean, most = (rows, rows, rows) if rows.ndim == 2 else (rows[..., 0], rows[..., 1], rows[..., 2])
    found = np.full((WIDTH, 3), np.nan)
    there = ~np.isnan(mean).all(axis=0)
    if there.any():
        found[there, 0] = np.nanmin(least[:, there], axis=0)
        found[there, 1] = np.nanmean(mean[:, there], axis=0)
        found[there, 2] = np.nanmax(most[:, there], axis=0)
    return found


def by_minute(times: Sequence[float], rows: Floats, start: float) -> Floats:
    """An hour by minutes: readings at ``times`` (seconds since the epoch), shape (n, WIDTH), that lie in the hour from
    ``start``; (60, WIDTH, 3) out."""
    minutes = np.full((HOUR // MINUTE, WIDTH, 3), np.nan)
    places = ((np.asarray(times) - start) // MINUTE).astype(int)
    for place in np.unique(places):
        if 0 <= place < len(minutes):
            minutes[place] = summary(rows[places == place])
    return minutes


def packed(values: Floats) -> bytes:
    """The numbers in as few bytes as is simple: 32-bit floats, compressed. Sizes keep seven digits, which is enough."""
    return zlib.compress(values.astype("<f4").tobytes(), 1)


def unpacked(data: bytes, *shape: int) -> Floats:
    """The numbers that ``packed`` packed, in that shape, one of which may be -1. Raises ValueError for others."""
    try:
        return np.frombuffer(zlib.decompress(data), "<f4").astype(np.float64).reshape(shape)
    except zlib.error as error:
        raise ValueError(f"not packed readings: {error}") from None

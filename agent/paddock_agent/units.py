"""Sizes for people, as the core writes them: ``core/tests/sizes.json`` tests both."""

from __future__ import annotations

import math
from collections.abc import Sequence

_DISK = ("B", "kB", "MB", "GB", "TB")
_MEMORY = ("B", "KiB", "MiB", "GiB", "TiB")


def disk_size(size: float) -> str:
    """Bytes on a disk or of a file, in powers of 1000."""
    return _scaled(size, 1000, _DISK)


def memory_size(size: float) -> str:
    """Bytes of memory, in powers of 1024."""
    return _scaled(size, 1024, _MEMORY)


def _scaled(size: float, base: int, units: Sequence[str]) -> str:
    value, unit = max(0.0, size), 0
    while _rounded(value, unit) >= base and unit < len(units) - 1:
        value, unit = value / base, unit + 1
    return f"{_rounded(value, unit):.10g} {units[unit]}"


def _rounded(value: float, unit: int) -> float:
    return math.floor(value + 0.5) if unit == 0 or value >= 9.95 else math.floor(value * 10 + 0.5) / 10

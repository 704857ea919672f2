"""Sizes and durations for people. ``web/src/kit/units.ts`` and ``paddock_agent/units.py`` write sizes alike; one table
tests all three (``core/tests/sizes.json``).

Disks and files are in powers of 1000 (kB, MB, GB), memory in powers of 1024 (KiB, MiB, GiB), as their makers count them
(IEC 80000-13).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

_DISK = ("B", "kB", "MB", "GB", "TB")
_MEMORY = ("B", "KiB", "MiB", "GiB", "TiB")
_DURATIONS = ((86_400.0, "day"), (3600.0, "hour"), (60.0, "minute"), (1.0, "second"))


def disk_size(size: float) -> str:
    """Bytes on a disk or of a file, with a tenth below ten.

    >>> disk_size(80_530_636_800), disk_size(1_500_000)
    ('81 GB', '1.5 MB')
    """
    return _scaled(size, 1000, _DISK)


def memory_size(size: float) -> str:
    """Bytes of memory, with a tenth below ten.

    >>> memory_size(16 * 1024**3)
    '16 GiB'
    """
    return _scaled(size, 1024, _MEMORY)


def _scaled(size: float, base: int, units: Sequence[str]) -> str:
    value, unit = max(0.0, size), 0
    while _rounded(value, unit) >= base and unit < len(units) - 1:
        value, unit = value / base, unit + 1
    return f"{_rounded(value, unit):.10g} {units[unit]}"


def _rounded(value: float, unit: int) -> float:
    """Half up, as JavaScript rounds."""
    return math.floor(value + 0.5) if unit == 0 or value >= 9.95 else math.floor(value * 10 + 0.5) / 10


def span(seconds: float) -> str:
    """About how long, in one unit.

    >>> span(0.4), span(90), span(7200), span(300000)
    ('0 seconds', '90 seconds', '2 hours', '3 days')
    """
    if not math.isfinite(seconds):
        return "an unknown time"
    for unit, name in _DURATIONS:
        number = seconds / unit
        if number >= 1.95 or unit == 1:
            whole = round(number)
            return f"{whole} {name}{'' if whole == 1 else 's'}"
    raise AssertionError("seconds are the last unit")

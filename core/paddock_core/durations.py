"""Durations and sizes in units that people say."""

from __future__ import annotations

import math

_UNITS = ((86_400.0, "day"), (3600.0, "hour"), (60.0, "minute"), (1.0, "second"))


def span(seconds: float) -> str:
    """About how long, in one unit.

    >>> span(0.4), span(90), span(7200), span(300000)
    ('0 seconds', '90 seconds', '2 hours', '3 days')
    """
    if not math.isfinite(seconds):
        return "an unknown time"
    for unit, name in _UNITS:
        number = seconds / unit
        if number >= 1.95 or unit == 1:
            whole = round(number)
            return f"{whole} {name}{'' if whole == 1 else 's'}"
    raise AssertionError("seconds are the last unit")


def size(number: float) -> str:
    """Bytes with three digits.

    >>> size(512), size(5.25 * 1024**3)
    ('512 B', '5.25 GB')
    """
    for unit in ("B", "kB", "MB", "GB", "TB"):
        if number < 1000 or unit == "TB":
            return f"{number:.3g} {unit}"
        number /= 1024
    raise AssertionError("TB is the last unit")

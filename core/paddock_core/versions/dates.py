"""Dates as versions, however they are written: ``2024-05-01``, ``2024.05.01``, ``2024/5/1``, ``20240501``.

A year, or a year and a month, comes before every day of it. What follows the date (``-nightly``) does not order.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version

_DATE = re.compile(
    r"\s*(?:(\d{4})(\d{2})(\d{2})(?!\d)|(\d{4})(?!\d)(?:[-./](\d{1,2})(?!\d))?(?:[-./](\d{1,2})(?!\d))?)"
)


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError, also for a month or a day that no calendar has."""
    found = _DATE.match(text)
    if found is None:
        column = len(text) - len(text.lstrip()) + 1
        raise VersionError(text, column, "a date starts with a year of four digits, as 2024-05-01 or 20240501")
    given = [(int(part), found.start(number)) for number, part in enumerate(found.groups(), 1) if part]
    for (value, start), most, name in zip(given[1:], (12, 31), ("month", "day"), strict=False):
        if not 1 <= value <= most:
            raise VersionError(text, start + 1, f"no {name} {value} exists")
    key = tuple(value for value, _ in given)
    return Version(text.strip(), "date", key, key, key)

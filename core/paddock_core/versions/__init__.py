"""Versions of tools: reading them, ordering them, and ranges of them.

Each scheme is one module here, which says how its order goes; docs/versions.md has them side by side, with what each
was compared against.
"""

from .ranges import Comparison, VersionRange, build_range, parse_range
from .reading import MAX_RANGE_LENGTH, SCHEMES, parse
from .version import Version

__all__ = [
    "MAX_RANGE_LENGTH",
    "SCHEMES",
    "Comparison",
    "Version",
    "VersionRange",
    "build_range",
    "parse",
    "parse_range",
]

"""Sizes, as people write them: ``16 GB``, ``40g``, ``1.5 TB``, ``512 MiB``.

GB and its like are powers of 1000, GiB and its like of 1024 (IEC 80000-13). A machine sold with "16 GB" of memory has
16 GiB less what its system keeps for itself, and so has at least 16 GB.
"""

from __future__ import annotations

import re
from fractions import Fraction

_PREFIXES = "kmgt"
_SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*([kmgt])(i?)b?\+?", re.IGNORECASE)


def read_size(text: str) -> int:
    """Bytes. Raises ValueError if the text is not a size.

    >>> read_size("16 GB"), read_size("1.5g"), read_size("2 GiB")
    (16000000000, 1500000000, 2147483648)
    """
    match = _SIZE.fullmatch(text.strip())
    if match is None:
        raise ValueError(f"{text!r} is not a size. Write a number and MB, GB or TB")
    number, prefix, binary = match.groups()
    return int(Fraction(number) * (1024 if binary else 1000) ** (_PREFIXES.index(prefix.lower()) + 1))


def size_text(size: int) -> str:
    """Exactly as many bytes, in the largest unit in which they can be written shortly.

    >>> size_text(40_000_000_000), size_text(2 * 1024**3), size_text(1_500_000_000)
    ('40 GB', '2 GiB', '1.5 GB')
    """
    for power in range(len(_PREFIXES), 1, -1):
        if size * 1000 % 1000**power == 0 and size >= 1000**power:
            number = f"{size / 1000**power:.3f}".rstrip("0").rstrip(".")
            return f"{number} {_PREFIXES[power - 1].upper()}B"
    for power in range(len(_PREFIXES), 0, -1):
        if size and size % 1024**power == 0:
            return f"{size // 1024**power} {_PREFIXES[power - 1].upper()}iB"
    return f"{size / 1000:.3f}".rstrip("0").rstrip(".") + " kB"

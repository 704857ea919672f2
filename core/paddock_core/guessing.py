"""How long the next try has to wait after several that were wrong."""

from __future__ import annotations

MAX_WAIT_SECONDS = 900.0


def wait_after(tries: int, free: int, longest: float = MAX_WAIT_SECONDS) -> float:
    """Seconds: nothing for the first ``free`` wrong tries, then 2, doubled with each, at most ``longest``.

    >>> [wait_after(tries, free=5) for tries in (0, 4, 5, 6, 7, 50)]
    [0.0, 0.0, 2.0, 4.0, 8.0, 900.0]
    """
    if tries < free:
        return 0.0
    return min(longest, float(2 ** min(20, tries - free + 1)))

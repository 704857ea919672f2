"""The thin trace of a plate: how busy and how reachable a host was, in equal steps of time, oldest first."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from .link_state import Link

UNREACHED = "-"
"""Lost for most of the step."""
ABSENT = "."
"""Stopped, or not yet there, for most of the step."""


def trace(
    start: float,
    end: float,
    steps: int,
    links: Sequence[tuple[float, Link]],
    busy: Sequence[tuple[float, float]],
    slots: int,
) -> str:
    """One character a step.

    ``start`` and ``end`` are seconds since the epoch; ``links`` are changes ``(when, state)`` in order of time, the
    earlier ones of which may lie before ``start``; ``busy`` are the intervals of single slots at work. A step shows
    ``-`` or ``.`` where the host was lost or absent for more than half of it, else a digit: the share of its slot time
    that was worked, from 0 (none) to 9 (all).

    >>> trace(0, 40, 4, [(10, Link.CONNECTED), (30, Link.LOST)], [(20, 30)], 1)
    '.09-'
    """
    width = (end - start) / steps
    spans = spans_of(links, end)
    drawn = []
    for i in range(steps):
        low, high = start + i * width, start + (i + 1) * width
        lost = sum(overlap(low, high, a, b) for a, b, state in spans if state is Link.LOST)
        there = sum(overlap(low, high, a, b) for a, b, state in spans if state is Link.CONNECTED)
        if lost > width / 2:
            drawn.append(UNREACHED)
        elif there < width / 2:
            drawn.append(ABSENT)
        else:
            worked = sum(overlap(low, high, a, b) for a, b in busy)
            drawn.append(str(min(9, _rounded_up(9 * worked / (width * max(1, slots))))))
    return "".join(drawn)


def spans_of(links: Sequence[tuple[float, Link]], end: float) -> list[tuple[float, float, Link]]:
    """Changes ``(when, state)`` in order of time as spans ``(from, to, state)``, the last one up to ``end``."""
    ends = [*(when for when, _ in links[1:]), end]
    return [(when, until, state) for (when, state), until in zip(links, ends[: len(links)], strict=True)]


def joined(spans: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Spans that may overlap as spans in order that do not.

    >>> joined([(5, 9), (0, 3), (2, 4), (9, 10)])
    [(0, 4), (5, 10)]
    """
    found: list[tuple[float, float]] = []
    for begins, ends in sorted(spans):
        if found and begins <= found[-1][1]:
            found[-1] = (found[-1][0], max(ends, found[-1][1]))
        else:
            found.append((begins, ends))
    return found


def overlap(a: float, b: float, c: float, d: float) -> float:
    """How much of the span from ``a`` to ``b`` lies in that from ``c`` to ``d``."""
    return max(0.0, min(b, d) - max(a, c))


def _rounded_up(share: float) -> int:
    """Any work at all shows as at least 1."""
    return int(share) + (share > int(share))

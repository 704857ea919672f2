"""Availability: the time that a host was connected, of the time that it should have been.

Left out are the time before its first hello, and planned holds: a host that a person holds is not expected. So a host
that was held all week has no availability, not a bad one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .link_state import Link
from .trace import overlap, spans_of

Span = tuple[float, float]


@dataclass(frozen=True)
class Availability:
    """Seconds in a window. ``losses`` are the times that the link was lost or stopped while it should have been there;
    ``repairs`` the seconds that each took that is over."""

    connected: float
    wanted: float
    losses: int
    repairs: tuple[float, ...]

    @property
    def share(self) -> float | None:
        """From 0 to 1; None where it was wanted at no time."""
        return self.connected / self.wanted if self.wanted > 0 else None

    @property
    def between_losses(self) -> float | None:
        """Mean seconds connected for each loss; None without one."""
        return self.connected / self.losses if self.losses else None

    @property
    def to_repair(self) -> float | None:
        """Mean seconds until it was back; None where nothing was repaired."""
        return sum(self.repairs) / len(self.repairs) if self.repairs else None


def availability(start: float, end: float, links: Sequence[tuple[float, Link]], holds: Sequence[Span]) -> Availability:
    """Of one host, between ``start`` and ``end``. Times in seconds since the epoch; ``links`` are its changes in order
    of time, the last one before ``start`` included; ``holds`` do not overlap.

    >>> availability(0, 100, [(0, Link.CONNECTED), (40, Link.LOST), (60, Link.CONNECTED)], [(90, 100)]).share
    0.7777777777777778
    """
    wanted = connected = 0.0
    losses, repairs = 0, []
    for begins, ends, state in _away_as_one(links, end):
        if state is Link.NEVER_SEEN:
            continue
        low, high = max(begins, start), min(ends, end)
        counted = max(0.0, high - low) - sum(overlap(low, high, *hold) for hold in holds)
        wanted += max(0.0, counted)
        if state is Link.CONNECTED:
            connected += max(0.0, counted)
        elif start <= begins <= end and not any(a <= begins < b for a, b in holds):
            losses += 1
            if ends < end:
                repairs.append(ends - begins)
    return Availability(connected, wanted, losses, tuple(repairs))


def _away_as_one(links: Sequence[tuple[float, Link]], end: float) -> list[tuple[float, float, Link]]:
    """The changes as spans ``(from, to, state)``; neighbours that are both away make one span."""
    spans: list[tuple[float, float, Link]] = []
    for begins, ends, state in spans_of(links, end):
        if spans and Link.CONNECTED not in (state, spans[-1][2]) and Link.NEVER_SEEN not in (state, spans[-1][2]):
            spans[-1] = (spans[-1][0], ends, spans[-1][2])
        else:
            spans.append((begins, ends, state))
    return spans


def together(several: Sequence[Availability]) -> Availability:
    """That of a paddock: the time of all its hosts, added up."""
    return Availability(
        sum(one.connected for one in several),
        sum(one.wanted for one in several),
        sum(one.losses for one in several),
        tuple(repair for one in several for repair in one.repairs),
    )

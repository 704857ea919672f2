"""The spread of tools over the fleet, as columns: who has which version, where cover is thin, what nears its end."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from .errors import VersionError
from .versions import Version, VersionRange, parse, parse_range

BROKEN = -1
"""Instead of the number of a version, where the installation is broken."""


@dataclass(frozen=True)
class Cells:
    """The installations of one tool over all hosts, in parallel columns of equal length.

    ``versions`` are the tool's distinct versions, oldest first; ``hosts`` the numbers of hosts, ``version`` the places
    in ``versions`` or BROKEN, ``plain`` 1 for the one that a plain command gets. Sorted by host; the plain one first.
    """

    versions: tuple[str, ...]
    hosts: tuple[int, ...]
    version: tuple[int, ...]
    plain: tuple[int, ...]


def cells(found: Iterable[tuple[int, str | None, bool]], scheme: str) -> Cells:
    """``found`` are the host's number, the version (None for broken) and whether it is the plain one."""
    listed = sorted(found, key=lambda one: (one[0], not one[2], one[1] or ""))
    versions = sorted({version for _, version, _ in listed if version is not None}, key=lambda v: order_key(v, scheme))
    places = {version: place for place, version in enumerate(versions)}
    return Cells(
        tuple(versions),
        tuple(host for host, _, _ in listed),
        tuple(BROKEN if version is None else places[version] for _, version, _ in listed),
        tuple(int(plain) for _, _, plain in listed),
    )


def order_key(text: str, scheme: str) -> tuple[bool, Version | str]:
    """Sorts versions by their order; those that cannot be read come last."""
    try:
        return False, parse(text, scheme)
    except VersionError:
        return True, text


def within(versions: Sequence[str], wanted: VersionRange) -> list[bool]:
    """For each version, whether it lies in a range; one that cannot be read does not."""
    return [_is_within(text, wanted) for text in versions]


def _is_within(text: str, wanted: VersionRange) -> bool:
    try:
        return wanted.contains(parse(text, wanted.scheme))
    except VersionError:
        return False


def ends_of(versions: Sequence[str], scheme: str, ends: Sequence[tuple[str, date]]) -> list[date | None]:
    """For each version, when its line's support ends; None where that is not known. The first line that fits counts."""
    found: list[date | None] = [None] * len(versions)
    for line, day in ends:
        try:
            wanted = parse_range(line, scheme)
        except VersionError:
            continue
        for place, inside in enumerate(within(versions, wanted)):
            if inside and found[place] is None:
                found[place] = day
    return found

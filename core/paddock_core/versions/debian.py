"""Versions of Debian packages, in the order of ``dpkg --compare-versions`` (Debian Policy 5.6.12).

``[epoch:]upstream[-revision]``. Runs without digits and runs of digits take turns: in the first a tilde comes before
the end, the end before letters, letters before the rest; the second go by value.
"""

from __future__ import annotations

import re

from ..errors import VersionError
from .version import Version, leading_numbers, refuse_others

_TURNS = re.compile(r"([^0-9]*)([0-9]*)")
_END = ((0,), 0)


def parse(text: str) -> Version:
    """Reads one version. Raises VersionError."""
    refuse_others(text, r"A-Za-z0-9.+~:-")
    shown = text.strip()
    skipped = len(text) - len(text.lstrip())
    epoch, colon, rest = shown.partition(":")
    if not colon:
        epoch, rest = "0", shown
    if not epoch.isdecimal():
        raise VersionError(text, skipped + 1, "what stands before the colon is a number")
    start = len(shown) - len(rest)
    upstream, hyphen, revision = rest.rpartition("-")
    if not hyphen:
        upstream, revision = rest, ""
    if not upstream[:1].isdecimal():
        raise VersionError(text, skipped + start + 1, "such a version starts with a digit, as 12.2.0-14~deb12u1")
    if hyphen and not revision:
        raise VersionError(text, skipped + len(shown), "what follows the last hyphen is a revision, as in 12.2.0-14")
    if ":" in revision:
        raise VersionError(text, skipped + shown.rindex(":") + 1, "a revision has no colon")
    key = (int(epoch), _order(upstream), _order(revision))
    bare = (*key[:2], _order(""))
    early = re.match(r"[0-9.]*~(?:rc|beta|alpha|b|a|pre|dev|exp)", upstream) is not None
    return Version(shown, "debian", leading_numbers(upstream), key, bare if revision else key, is_early=early)


def _order(text: str) -> tuple[tuple[tuple[int, ...], int], ...]:
    turns = [(_weights(word), int(digits or 0)) for word, digits in _TURNS.findall(text) if word or digits]
    while turns and turns[-1] == _END:
        turns.pop()
    return (*turns, _END)


def _weights(word: str) -> tuple[int, ...]:
    return (*(-1 if c == "~" else ord(c) if c.isalpha() else ord(c) + 256 for c in word), 0)

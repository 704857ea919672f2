"""Secrets in a log: every place where one stands, plain or in a common encoding, is covered before it leaves the host.

It catches accidents, as a command that prints its environment. A script that wants to tell a secret can always turn it
into something that nobody recognises.
"""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Iterator, Sequence
from urllib.parse import quote, quote_plus

COVER = b"[secret]"
SHORTEST = 6
"""Characters of a secret, or of one line of it, below which it would cover innocent text everywhere."""


class Masker:
    """Covers secrets in a stream of bytes, however it is cut into pieces."""

    def __init__(self, secrets: Sequence[str]) -> None:
        patterns = sorted({one for secret in secrets for one in _forms(secret)}, key=len, reverse=True)
        self._expression = re.compile(b"|".join(map(re.escape, patterns))) if patterns else None
        self._longest = max(map(len, patterns), default=0)
        self._by_first: dict[int, list[bytes]] = {}
        for pattern in patterns:
            self._by_first.setdefault(pattern[0], []).append(pattern)
        self._held = b""

    def write(self, data: bytes) -> bytes:
        """What can be told of it now. An end that may be the start of a secret is held back until more comes."""
        if self._expression is None:
            return data
        covered = self._expression.sub(COVER, self._held + data)
        keep = self._beginning_at(covered)
        self._held = covered[keep:]
        return covered[:keep]

    def end(self) -> bytes:
        """What is still held back, now that nothing more comes."""
        held, self._held = self._held, b""
        return held

    def cover(self, text: str) -> str:
        """The same for a whole text."""
        if self._expression is None:
            return text
        return self._expression.sub(COVER, text.encode()).decode("utf-8", "replace")

    def _beginning_at(self, data: bytes) -> int:
        """Where an end of ``data`` begins that some pattern begins with; its length where there is none."""
        for place in range(max(0, len(data) - self._longest + 1), len(data)):
            rest = data[place:]
            if any(len(one) > len(rest) and one.startswith(rest) for one in self._by_first.get(data[place], ())):
                return place
        return len(data)


def _forms(secret: str) -> Iterator[bytes]:
    """The ways in which programs write a secret down."""
    plain = [secret, secret.strip(), *(line.strip() for line in secret.splitlines())]
    if ":" in secret:  # user:password, of which the password is one too
        plain.append(secret.partition(":")[2])
    for text in dict.fromkeys(one for one in plain if len(one) >= SHORTEST):
        data = text.encode()
        written = {text, quote(text, safe=""), quote(text), quote_plus(text), json.dumps(text)[1:-1]}
        written |= {json.dumps(text, ensure_ascii=False)[1:-1], data.hex(), data.hex().upper()}
        written |= {re.sub("%..", lambda found: found.group().lower(), one) for one in tuple(written) if "%" in one}
        for encode in (base64.b64encode, base64.urlsafe_b64encode):
            # Inside a longer text it may begin at any of three places; digits that mix with neighbours are left out.
            for before, mixed in ((0, 0), (1, 2), (2, 3)):
                digits = encode(b"\0" * before + data).decode().rstrip("=")
                written.add(digits[mixed : len(digits) - bool((before + len(data)) % 3)])
        yield from (one.encode() for one in written if len(one) >= SHORTEST)

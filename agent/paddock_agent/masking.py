"""Secrets in a log: every place where one stands, plain or in a common encoding, is covered before it leaves the host.

It catches accidents, as a command that prints its environment: the secret itself, in base64 (wrapped to lines or not,
and inside a longer text), in hexadecimal, in addresses, in HTML and XML, in JSON and in JSON in JSON, and as shells
trace it. A script that wants to tell a secret can always turn it into something that nobody recognises.
"""

from __future__ import annotations

import base64
import html
import json
import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from urllib.parse import quote, quote_plus

COVER = b"[secret]"
SHORTEST = 6
"""Characters of a secret, or of one line of it, below which it would cover innocent text everywhere."""
_BREAK = re.compile(rb"(?<![\r\n])\r?\n(?![\r\n])")
"""A single line break, over which a wrapped secret goes on; an empty line ends it."""


class Masker:
    """Covers secrets in a stream of bytes, however it is cut into pieces or wrapped to lines."""

    def __init__(self, secrets: Sequence[str]) -> None:
        patterns = sorted({_joined(one) for secret in secrets for one in _forms(secret)}, key=len, reverse=True)
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
        covered, rest = self._covered(_Joined(self._held + data))
        keep = self._beginning_in(rest)
        self._held = rest[keep:]
        return covered + rest[:keep]

    def end(self) -> bytes:
        """What is still held back, now that nothing more comes."""
        held, self._held = self._held, b""
        return held

    def cover(self, text: str) -> str:
        """The same for a whole text."""
        if self._expression is None:
            return text
        return b"".join(self._covered(_Joined(text.encode("utf-8", "replace")))).decode("utf-8", "replace")

    def _covered(self, joined: _Joined) -> tuple[bytes, bytes]:
        """The text up to the end of the last secret, with all of them covered; and what comes after it. Lines stay as
        many as they were."""
        assert self._expression
        told, place = [], 0
        for found in self._expression.finditer(joined.text):
            start, end = joined.place_of(found.start()), joined.place_of(found.end() - 1) + 1
            told += [joined.whole[place:start], COVER, b"\n" * joined.whole.count(b"\n", start, end)]
            place = end
        return b"".join(told), joined.whole[place:]

    def _beginning_in(self, data: bytes) -> int:
        """Where an end of ``data`` begins that some pattern begins with; its length where there is none."""
        joined = _Joined(data)
        text = joined.text
        for place in range(max(0, len(text) - self._longest + 1), len(text)):
            rest = text[place:]
            if any(len(one) > len(rest) and one.startswith(rest) for one in self._by_first.get(text[place], ())):
                return joined.place_of(place)
        return len(data)


class _Joined:
    """Bytes with their single line breaks taken out, and where each byte of that was in the whole."""

    def __init__(self, whole: bytes) -> None:
        self.whole = self.text = whole
        self._breaks: list[int] = []
        self._removed: list[int] = [0]
        if b"\n" in whole:
            removed = 0
            for found in _BREAK.finditer(whole):
                self._breaks.append(found.start() - removed)
                removed += len(found.group())
                self._removed.append(removed)
            self.text = _BREAK.sub(b"", whole)

    def place_of(self, place: int) -> int:
        """Where the byte at ``place`` of the text is in the whole."""
        return place + self._removed[bisect_right(self._breaks, place)]


def _joined(form: bytes) -> bytes:
    return _BREAK.sub(b"", form)


def _forms(secret: str) -> Iterator[bytes]:
    """The ways in which programs write a secret down."""
    plain = [secret, secret.strip(), *(line.strip() for line in secret.splitlines())]
    if ":" in secret:  # user:password, of which the password is one too
        plain.append(secret.partition(":")[2])
    for text in dict.fromkeys(one for one in plain if len(one) >= SHORTEST):
        data = text.encode("utf-8", "surrogatepass")
        written = {text, data.hex(), data.hex().upper()}
        written |= set(_in_addresses(text)) | set(_in_markup(text)) | set(_in_json(text)) | set(_in_shells(text))
        written |= set(_in_base64(data))
        yield from (one.encode("utf-8", "surrogatepass") for one in written if len(one) >= SHORTEST)


def _in_addresses(text: str) -> Iterator[str]:
    for one in (quote(text, safe=""), quote(text), quote_plus(text), quote(quote(text, safe=""), safe="")):
        yield one
        yield re.sub("%..", lambda found: found.group().lower(), one)


def _in_markup(text: str) -> Iterator[str]:
    """In HTML and XML, of which each program writes the quotes otherwise."""
    for one in (html.escape(text, quote=False), html.escape(text)):
        yield one
        yield one.replace("&#x27;", "&#39;")
        yield one.replace("&#x27;", "&apos;")
        yield one.replace("&#x27;", "&#39;").replace("&quot;", "&#34;")


def _in_json(text: str) -> Iterator[str]:
    """In JSON, and in JSON that is a text in JSON, as often as programs do that; and as Python shows a text."""
    for is_ascii in (True, False):
        one = text
        for _ in range(3):
            one = json.dumps(one, ensure_ascii=is_ascii)[1:-1]
            yield one
            yield one.replace("/", "\\/")
    yield repr(text)[1:-1]


def _in_shells(text: str) -> Iterator[str]:
    """As shells trace a word that has to be quoted."""
    yield text.replace("'", "'\\''")
    yield text.replace("'", "'\"'\"'")
    yield text.replace("'", "''")  # PowerShell's
    yield re.sub(r'(["$`\\])', r"\\\1", text)
    yield re.sub(r"([^A-Za-z0-9_@%+=:,./\n-])", r"\\\1", text)
    ansi = text.replace("\\", "\\\\").replace("'", "\\'")
    yield ansi.replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r")


def _in_base64(data: bytes) -> Iterator[str]:
    for encode in (base64.b64encode, base64.urlsafe_b64encode):
        # Inside a longer text it may begin at any of three places; digits that mix with neighbours are left out.
        for before, mixed in ((0, 0), (1, 2), (2, 3)):
            digits = encode(b"\0" * before + data).decode().rstrip("=")
            yield digits[mixed : len(digits) - bool((before + len(data)) % 3)]

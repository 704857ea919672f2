"""Secrets in a log: every place where one stands, plain or in a common encoding, is covered before it leaves the host.

It catches accidents, as a command that prints its environment: the secret itself, in base64 (wrapped to lines or not,
indented, and inside a longer text), in hexadecimal, in addresses, in HTML and XML, in JSON and in JSON in JSON, in
tables, in mail, and as shells trace it. A script that wants to tell a secret can always turn it into something that
is not recognised.
"""

from __future__ import annotations

import base64
import html
import json
import quopri
import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from itertools import islice
from urllib.parse import quote, quote_plus

COVER = b"[secret]"
SHORTEST = 6
"""Characters of a secret, or of one line of it, below which it would cover innocent text everywhere."""
_LINE_END = re.compile(rb"\n(?![\r\n])[ \t]*")
"""The end of a line and the indent of the next, where that is not empty."""
_BLANKS = re.compile(rb"[ \t]+")
MAX_BLANKS = 10
"""Places of blanks in a secret, at each of which a line may break."""


class Masker:
    """Covers secrets in a stream of bytes, however it is cut into pieces or wrapped to lines."""

    def __init__(self, secrets: Sequence[str]) -> None:
        written = {one for secret in secrets for form in _forms(secret) for one in _joined(form)}
        patterns = sorted(written, key=len, reverse=True)
        self._expression = re.compile(b"|".join(map(re.escape, patterns))) if patterns else None
        self._longest = max(map(len, patterns), default=0)
        self._by_first: dict[int, list[bytes]] = {}
        for pattern in patterns:
            self._by_first.setdefault(pattern[0], []).append(pattern)
        self._held = b""

    def write(self, data: bytes) -> bytes:
        """Returns what is safe to send now. Holds back an end that may be the start of a secret until more comes."""
        if self._expression is None:
            return data
        whole = self._held + data
        cut = len(whole) - whole.endswith(b"\r")  # which may be half of a line's end
        joined = _Joined(whole[:cut])
        covered, shown, last = self._covered(joined)
        held = max(shown, joined.place_of(self._beginning_in(joined.text, last)))
        self._held = whole[held:]
        return covered + whole[shown:held]

    def end(self) -> bytes:
        """What is still held back, now that nothing more comes."""
        held, self._held = self._held, b""
        return held

    def cover(self, text: str) -> str:
        """The same for a whole text."""
        if self._expression is None:
            return text
        joined = _Joined(text.encode("utf-8", "replace"))
        covered, shown, _ = self._covered(joined)
        return (covered + joined.whole[shown:]).decode("utf-8", "replace")

    def _covered(self, joined: _Joined) -> tuple[bytes, int, int]:
        """The whole up to the end of the last secret, with all of them covered, and where that is in the whole and in
        the text. Lines stay as many as they were."""
        assert self._expression
        shown, place, last = [], 0, 0
        for found in self._expression.finditer(joined.text):
            last = found.end()
            start, end = joined.place_of(found.start()), joined.place_of(last - 1) + 1
            shown += [joined.whole[place:start], COVER, b"\n" * joined.whole.count(b"\n", start, end)]
            place = end
        return b"".join(shown), place, last

    def _beginning_in(self, text: bytes, start: int) -> int:
        """Where an end of ``text`` begins, from ``start`` on, that some pattern begins with; its length where there is
        none."""
        for place in range(max(start, len(text) - self._longest + 1), len(text)):
            rest = text[place:]
            if any(len(one) > len(rest) and one.startswith(rest) for one in self._by_first.get(text[place], ())):
                return place
        return len(text)


class _Joined:
    """Bytes with their single line breaks taken out, and where each byte of that was in the whole."""

    def __init__(self, whole: bytes) -> None:
        self.whole = whole
        self._breaks: list[int] = []
        self._removed: list[int] = [0]
        pieces, place, removed = [], 0, 0
        for start, end in _single_breaks(whole):
            pieces.append(whole[place:start])
            self._breaks.append(start - removed)
            removed += end - start
            self._removed.append(removed)
            place = end
        self.text = b"".join([*pieces, whole[place:]])

    def place_of(self, place: int) -> int:
        """Where the byte at ``place`` of the text is in the whole."""
        return place + self._removed[bisect_right(self._breaks, place)]


def _single_breaks(whole: bytes) -> Iterator[tuple[int, int]]:
    """Where a line ends and the next goes on, from the end of the one to behind the indent of the other. A wrapped
    secret goes on over them; an empty line ends it."""
    for found in _LINE_END.finditer(whole):
        start = found.start() - whole.startswith(b"\r", max(0, found.start() - 1), found.start())
        if whole[max(0, start - 1) : start] not in (b"\r", b"\n"):
            yield start, found.end()


def _joined(form: bytes) -> Iterator[bytes]:
    """The form without its line breaks, and as it is where a line ends at one of its blanks."""
    joined = _Joined(form).text
    yield joined
    for blanks in islice(_BLANKS.finditer(joined), MAX_BLANKS):
        yield joined[: blanks.start()] + joined[blanks.end() :]


def _forms(secret: str) -> Iterator[bytes]:
    """The ways in which programs write a secret down."""
    plain = [secret, secret.strip(), *(line.strip() for line in secret.splitlines())]
    if ":" in secret:  # user:password, of which the password is one too
        plain.append(secret.partition(":")[2])
    for text in dict.fromkeys(one for one in plain if len(one) >= SHORTEST):
        data = text.encode("utf-8", "surrogatepass")
        written = {text, data.hex(), data.hex().upper()}
        written |= set(_in_addresses(text)) | set(_in_markup(text)) | set(_in_json(text)) | set(_in_shells(text))
        written |= set(_in_base64(data)) | {text.replace('"', '""'), quopri.encodestring(data).decode()}
        yield from (one.encode("utf-8", "surrogatepass") for one in written if len(one) >= SHORTEST)


def _in_addresses(text: str) -> Iterator[str]:
    for one in (quote(text, safe=""), quote(text), quote_plus(text), quote(quote(text, safe=""), safe="")):
        yield one
        yield re.sub("%..", lambda found: found.group().lower(), one)


def _in_markup(text: str) -> Iterator[str]:
    """In HTML and XML, of which each program writes the quotes otherwise, and some every mark as a number."""
    yield re.sub(r"[^\w]", lambda found: f"&#{ord(found.group())};", text)
    yield re.sub(r"[^\w]", lambda found: f"&#x{ord(found.group()):x};", text)
    yield text.encode("ascii", "xmlcharrefreplace").decode()
    for one in (html.escape(text, quote=False), html.escape(text), html.escape(text).replace("&gt;", ">")):
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
    data = text.encode("utf-8", "surrogatepass")
    for one in (repr(text)[1:-1], repr(data)[2:-1]):
        yield one
        yield one.replace("\\'", "'")


def _in_shells(text: str) -> Iterator[str]:
    """As shells trace a word that has to be quoted."""
    yield text.replace("'", "'\\''")
    yield text.replace("'", "'\"'\"'")
    yield text.replace("'", "''")  # PowerShell's
    yield re.sub(r'(["$`\\])', r"\\\1", text)
    yield re.sub(r"([^A-Za-z0-9_@%+=:,./\n-])", r"\\\1", text)
    ansi = text.replace("\\", "\\\\").replace("'", "\\'")
    ansi = ansi.replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r")
    yield ansi
    yield "".join(one if one.isascii() else _octal(one) for one in ansi)


def _octal(text: str) -> str:
    return "".join(f"\\{byte:03o}" for byte in text.encode("utf-8", "surrogatepass"))


def _in_base64(data: bytes) -> Iterator[str]:
    for encode in (base64.b64encode, base64.urlsafe_b64encode):
        # Inside a longer text it may begin at any of three places; digits that mix with neighbours are left out.
        for before, mixed in ((0, 0), (1, 2), (2, 3)):
            digits = encode(b"\0" * before + data).decode().rstrip("=")
            yield digits[mixed : len(digits) - bool((before + len(data)) % 3)]

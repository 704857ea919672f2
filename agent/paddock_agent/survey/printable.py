"""Makes the output and paths of a machine printable."""

from __future__ import annotations

import re
from typing import Literal

from ..system import Completed

MAX_OUTPUT_LENGTH = 600
LINES = 6

_COLOUR = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")
_UNPRINTABLE = re.compile(
    r"[^\x20-\x7e\u00a0-\u2027\u202a-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]|[\u202a-\u202e\u2066-\u2069]"
)


def plain_text(answer: Completed, stream: Literal["either", "out", "error"]) -> str:
    """What a command printed on the stream that counts, without colours."""
    text = {"either": answer.stdout + "\n" + answer.stderr, "out": answer.stdout, "error": answer.stderr}[stream]
    return _COLOUR.sub("", text).replace("\r\n", "\n")


def first_lines(text: str) -> str:
    """The first lines that are not empty, each cut; unprintable characters become question marks."""
    lines = [_UNPRINTABLE.sub("?", line.strip())[:300] for line in text[:10_000].split("\n") if line.strip()]
    return "\n".join(lines[:LINES])[:MAX_OUTPUT_LENGTH]


def shown_path(path: str) -> str:
    """A path as it can be shown: bytes that are no text, and control characters, are written as such."""
    text = path.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return _UNPRINTABLE.sub(lambda found: found.group().encode("unicode_escape").decode("ascii"), text)


def why_not_text(path: str) -> str:
    """Why a job could not be given a path; "" where it could."""
    if shown_path(path) != path:
        return "its path holds bytes or control characters that are no text, so that no job can be given it; rename it"
    return ""

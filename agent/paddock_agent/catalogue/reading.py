"""Readings: the lines in which a tool says its version, as people see them, with names for what is to be taken.

==============  ====================================================================================
``{version}``   digits, then letters, digits and ``. _ + ~ -``
``{build}``     letters and digits: shown behind the version, as in ``15.2 (15C500b)``
``{path}``      any text: the file or folder that is the tool
``{home}``      any text: the folder that it is installed in
``*``           anything, as little as will do
a space         one or more spaces or tabs
==============  ====================================================================================

Everything else stands for itself. A reading is for one whole line, without the space round it. It can be matched in
time that grows no faster than the line: each part is found where it first fits, and is never looked for again.

>>> Reading('openjdk version "{version}"*').match('openjdk version "17.0.9" 2023-10-17')
{'version': '17.0.9'}
"""

from __future__ import annotations

import re

from ..errors import BadReading

MAX_PATTERN_LENGTH = 200
MAX_LINE_LENGTH = 1000
"""Characters. What stands further right in a line is not read."""
MAX_LINES = 500

_VERSION_CHARACTER = "[0-9A-Za-z._+~-]"
_NAMED = {
    "version": rf"(?P<version>[0-9]{_VERSION_CHARACTER}*+)",
    "build": r"(?P<build>[0-9A-Za-z.]++)",
    "path": r"(?P<path>\S.*?)",
    "home": r"(?P<home>\S.*?)",
}
_TOKEN = re.compile(r"\{(?P<name>[^{}]*)\}|(?P<any>\*+)|(?P<space>[ \t]+)|(?P<text>[^{}*\s]+)|(?P<bad>[\s\S])")


class Reading:
    """One reading, ready to match. Raises BadReading, with the column, for one that cannot be."""

    def __init__(self, text: str) -> None:
        if len(text) > MAX_PATTERN_LENGTH:
            raise BadReading(MAX_PATTERN_LENGTH + 1, f"a reading has at most {MAX_PATTERN_LENGTH} characters")
        self.text = text
        self.names: set[str] = set()
        chunks = [""]
        previous = ""
        for token in _TOKEN.finditer(text.strip()):
            column = token.start() + 1
            match token.lastgroup:
                case "name":
                    chunks[-1] += self._named(token["name"], previous, column)
                case "any":
                    chunks.append("")
                case "space":
                    chunks[-1] += r"[ \t]++"
                case "text":
                    if previous == "version" and re.match(_VERSION_CHARACTER, token["text"]):
                        raise BadReading(column, f'"{token["text"][0]}" could be part of the version before it')
                    chunks[-1] += re.escape(token["text"])
                case _:
                    raise BadReading(column, f'"{token["bad"]}" stands alone: names are written as {{version}}')
            previous = token["name"] or ""
        if not any(chunks):
            raise BadReading(1, "a reading of nothing but * reads nothing")
        chunks[-1] += r"\s*+$"
        first, *rest = chunks
        # Atomic groups and possessive quantifiers: no part is tried again once it has been found.
        self._pattern = re.compile("".join([first, *(f"(?>.*?{chunk})" for chunk in rest)]))

    def _named(self, name: str, previous: str, column: int) -> str:
        if name not in _NAMED:
            raise BadReading(
                column, f"unknown placeholder {{{name}}}; known are {', '.join(f'{{{n}}}' for n in _NAMED)}"
            )
        if name in self.names:
            raise BadReading(column, f"{{{name}}} stands here twice")
        if previous:
            raise BadReading(column, f"nothing parts {{{name}}} from {{{previous}}}")
        if name in ("path", "home") and self.names & {"path", "home"}:
            raise BadReading(column, "a reading takes a path or a home, not both")
        self.names.add(name)
        return _NAMED[name]

    def match(self, line: str) -> dict[str, str] | None:
        """What was taken from a line; None where it does not match."""
        found = self._pattern.match(line.strip()[:MAX_LINE_LENGTH])
        return {name: value.strip() for name, value in found.groupdict().items()} if found else None


def first_match(readings: list[Reading], text: str) -> dict[str, str]:
    """What the readings take from a text: each name from the first line that has it. Empty where none matches."""
    taken: dict[str, str] = {}
    wanted = set().union(*(reading.names for reading in readings)) if readings else set()
    for line in text.splitlines()[:MAX_LINES]:
        for reading in readings:
            if reading.names <= taken.keys() and reading.names:
                continue
            for name, value in (reading.match(line) or {}).items():
                taken.setdefault(name, value)
        if wanted <= taken.keys():
            break
    return taken

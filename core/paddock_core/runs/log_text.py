"""Lines of a log for a screen: colours as names of styles, progress that overwrites itself folded, all else text.

A log is bytes that a stranger wrote. What moves a cursor, sets a title, or is not text at all never reaches the reader;
what is left is text, to be escaped like any other. Sequences are those of ECMA-48; of SGR, the sixteen colours, the 256
and the full ones come down to eight named colours, bold, faint, italic and underlined.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

MAX_LINE_LENGTH = 8192
"""Characters of a line that are shown."""
_COLOURS = ("black", "red", "green", "yellow", "blue", "magenta", "cyan", "white")

_CSI = re.compile(r"\x1b\[([0-9;:<=>?]*)[ -/]*([@-~])")
_OTHER = re.compile(
    r"\x1b\][^\x07\x1b\n]*(?:\x07|\x1b\\|(?=\n)|$)"  # OSC: titles, links
    r"|\x1b[PX^_][^\x1b\n]*(?:\x1b\\|(?=\n)|$)"  # DCS and other strings
    r"|\x1b[ -/]*[0-~]?"  # all other escapes
    r"|[\x00-\x07\x0b-\x0c\x0e-\x1a\x1c-\x1f\x7f-\x9f]"
)
_REORDERING = "\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069"
"""Marks of Unicode that change the order in which text is shown: with them a line can seem to say another thing."""
_MARK = re.compile(f"[{_REORDERING}]")
_PLAIN = re.compile(rf"[^\x00-\x08\x0a-\x1f\x7f-\x9f{_REORDERING}]*")


@dataclass(frozen=True)
class Style:
    """How a piece of text looks: names of colours, "" for the usual one."""

    colour: str = ""
    behind: str = ""
    bold: bool = False
    faint: bool = False
    italic: bool = False
    underlined: bool = False

    def names(self) -> tuple[str, ...]:
        """Its names, as ``("bold", "red")``."""
        flags = [name for name in ("bold", "faint", "italic", "underlined") if getattr(self, name)]
        behind = [f"on-{self.behind}"] if self.behind else []
        return (*flags, *([self.colour] if self.colour else []), *behind)


PLAIN = Style()


@dataclass(frozen=True)
class Span:
    """Text in one style."""

    text: str
    styles: tuple[str, ...] = ()


def shown_line(raw: bytes, style: Style = PLAIN) -> tuple[tuple[Span, ...], Style]:
    """A line, without its end, as a screen shows it after it was written, and the style that the next one begins with.

    A carriage return goes back to the start and what follows overwrites; a backspace goes back by one; "erase in line"
    erases.

    >>> shown_line(b"10%\\r100%")[0]
    (Span(text='100%', styles=()),)
    >>> shown_line(b"\\x1b[31mfailed\\x1b[0m: see log")[0]
    (Span(text='failed', styles=('red',)), Span(text=': see log', styles=()))
    """
    text = shown_marks(raw.decode("utf-8", "replace").rstrip("\r"))
    if _PLAIN.fullmatch(text):
        return ((Span(_cut(text), style.names()),) if text else ()), style
    cells: list[tuple[str, Style]] = []
    place = at = 0
    while at < len(text):
        if control := _CSI.match(text, at):
            at = control.end()
            parameters, final = control.groups()
            if final == "m":
                style = _styled(style, parameters)
            elif final == "K":
                cells, place = _erased(cells, place, parameters)
            elif final == "G":  # to a column, as progress bars do
                place = min(len(cells), max(0, _number(parameters, 1) - 1))
            continue
        if other := _OTHER.match(text, at):
            at = other.end()
            continue
        one = text[at]
        at += 1
        if one == "\r":
            place = 0
        elif one == "\b":
            place = max(0, place - 1)
        elif len(cells) <= MAX_LINE_LENGTH:
            cells[place : place + 1] = [(one, style)]
            place += 1
    return _spans(cells), style


def shown_marks(text: str) -> str:
    """Text in which marks that reorder it are shown as what they are.

    >>> shown_marks("user\u202etxt.exe")
    'user<U+202E>txt.exe'
    """
    return _MARK.sub(lambda found: f"<U+{ord(found.group()):04X}>", text)


def plain_line(raw: bytes) -> str:
    """The text of a line as it is shown."""
    return "".join(span.text for span in shown_line(raw)[0])


def _cut(text: str) -> str:
    return text if len(text) <= MAX_LINE_LENGTH else text[:MAX_LINE_LENGTH] + " … the line goes on …"


def _erased(cells: list[tuple[str, Style]], place: int, parameters: str) -> tuple[list[tuple[str, Style]], int]:
    match _number(parameters, 0):
        case 0:
            return cells[:place], place
        case 1:
            return [(" ", PLAIN)] * min(place + 1, len(cells)) + cells[place + 1 :], place
    return [], 0


def _number(parameters: str, default: int) -> int:
    first = parameters.split(";")[0]
    return int(first) if first.isascii() and first.isdecimal() and len(first) < 6 else default


def _spans(cells: list[tuple[str, Style]]) -> tuple[Span, ...]:
    found: list[tuple[list[str], Style]] = []
    for one, style in cells:
        if found and found[-1][1] == style:
            found[-1][0].append(one)
        else:
            found.append(([one], style))
    spans = [Span("".join(text), style.names()) for text, style in found]
    return (*spans, Span(" … the line goes on …")) if len(cells) > MAX_LINE_LENGTH else tuple(spans)


def _styled(style: Style, parameters: str) -> Style:
    codes = [int(one) if one.isascii() and one.isdecimal() and len(one) < 4 else 0
             for one in re.split("[;:]", parameters)]  # fmt: skip
    at = 0
    while at < len(codes):
        code = codes[at]
        at += 1
        if code in (38, 48):
            colour, used = _extended(codes[at:])
            at += used
            style = replace(style, colour=colour) if code == 38 else replace(style, behind=colour)
        else:
            style = _with(style, code)
    return style


def _with(style: Style, code: int) -> Style:
    match code:
        case 0:
            return PLAIN
        case 1:
            return replace(style, bold=True)
        case 2:
            return replace(style, faint=True)
        case 3:
            return replace(style, italic=True)
        case 4:
            return replace(style, underlined=True)
        case 22:
            return replace(style, bold=False, faint=False)
        case 23:
            return replace(style, italic=False)
        case 24:
            return replace(style, underlined=False)
        case 39:
            return replace(style, colour="")
        case 49:
            return replace(style, behind="")
        case _ if 30 <= code <= 37 or 90 <= code <= 97:
            return replace(style, colour=_COLOURS[code % 10])
        case _ if 40 <= code <= 47 or 100 <= code <= 107:
            return replace(style, behind=_COLOURS[code % 10])
    return style


def _extended(codes: list[int]) -> tuple[str, int]:
    """The named colour nearest to one of 256, or to red, green and blue; and how many numbers say it."""
    if codes[:1] == [5] and len(codes) > 1:
        number = codes[1]
        if number < 16:
            return _COLOURS[number % 8], 2
        if number >= 232:
            return ("black" if number < 244 else "white"), 2
        number -= 16
        return _nearest(number // 36 * 51, number // 6 % 6 * 51, number % 6 * 51), 2
    if codes[:1] == [2] and len(codes) > 3:
        return _nearest(*codes[1:4]), 4
    return "", len(codes)


def _nearest(red: int, green: int, blue: int) -> str:
    half = max(red, green, blue) / 2
    if half < 20:
        return "black"
    return _COLOURS[(red > half) + 2 * (green > half) + 4 * (blue > half)]

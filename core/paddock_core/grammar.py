"""The Lark parsers for terms and ranges, and their errors turned into words."""

from __future__ import annotations

from lark import Lark, UnexpectedCharacters, UnexpectedEOF, UnexpectedInput, UnexpectedToken

SUBJECTS = (
    "os",
    "arch",
    "tool",
    "label",
    "kit",
    "host",
    "paddock",
    "cores",
    "memory",
    "disk",
    "service",
    "env",
    "user group",
    "display",
)
OS_NAMES = ("linux", "macos", "windows")
ARCH_NAMES = ("x64", "arm64", "x86", "armv7", "riscv64", "ppc64le", "s390x")

_PARSER = Lark.open("terms.lark", rel_to=__file__, parser="lalr", start=["term", "range"], propagate_positions=True)


class _Start:
    """One parser, entered at one of its start rules."""

    def __init__(self, rule: str) -> None:
        self._rule = rule

    def parse(self, text: str) -> object:
        return _PARSER.parse(text, start=self._rule)

    def accepts(self, text: str) -> bool:
        """Whether ``text`` is whole as it stands, so that the line could have ended there."""
        try:
            self.parse(text)
        except UnexpectedInput:
            return False
        return True


TERM_PARSER = _Start("term")
RANGE_PARSER = _Start("range")

_KINDS = {
    "_OS": ("os",),
    "_ARCH": ("arch",),
    "_TOOL": ("tool",),
    "_LABEL": ("label",),
    "_KIT": ("kit",),
    "_HOST": ("host",),
    "_PADDOCK": ("paddock",),
    "_CORES": ("cores",),
    "_MEMORY": ("memory",),
    "_DISK": ("disk",),
    "_SERVICE": ("service",),
    "_ENV": ("env",),
    "_USER": ("user group",),
    "_DISPLAY": ("display",),
    "_NOT": ("not",),
    "_ANY": ("any of",),
    "_OF": ("of",),
    "_GROUP": ("group",),
    "_OPEN": ('"("',),
    "OS_NAME": OS_NAMES,
    "ARCH_NAME": ARCH_NAMES,
    "NAME": ("a name",),
    "SERVICE_NAME": ("the name of a service",),
    "VARIABLE": ("the name of a variable",),
    "VALUE": ("a value",),
    "CORES": ("a number of cores",),
    "SIZE": ("a size with its unit (16 GB)",),
    "_FREE": ("free",),
    "_RUNNING": ("running",),
    "_EQUALS": ('"="',),
    "VERSION": ("a version",),
    "OP": ("a comparison (>=, <=, >, <, =)",),
    "PLUS": ('"+"',),
    "__ANON_0": ('".."',),
    "_COMMA": ('","',),
    "_OR": ("or",),
    "_AND": ("and",),
    "_CLOSE": ('")"',),
}
THE_END = "the end of the line"


def describe_unexpected(parser: _Start, text: str, error: UnexpectedInput) -> tuple[int, str, tuple[str, ...]]:
    """Where reading stopped (column from 1), what stood there, and what could have stood there instead."""
    if isinstance(error, UnexpectedCharacters):
        column, names = error.column, set(error.allowed or ())
    elif isinstance(error, UnexpectedToken):
        column, names = error.column, set(error.expected)
        if error.token.type == "$END":
            column = len(text.rstrip()) + 1
    elif isinstance(error, UnexpectedEOF):
        column, names = len(text.rstrip()) + 1, set(error.expected)
    else:  # pragma: no cover - Lark has no other kinds
        column, names = 1, set()
    expected = tuple(word for name in _KINDS if name in names for word in _KINDS[name])
    if parser.accepts(text[: column - 1]):
        expected += (THE_END,)
    found = word_at(text, column)
    message = f'"{found}" cannot stand here' if found else "the line ends too early"
    return column, message, expected


def word_at(text: str, column: int) -> str:
    """The run of characters up to the next space, from ``column`` (counted from 1); at most 40 of them."""
    rest = text[column - 1 :]
    return rest.split(maxsplit=1)[0][:40] if rest.strip() else ""

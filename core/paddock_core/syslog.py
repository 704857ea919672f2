"""Lines of the logbook as syslog messages (RFC 5424), and how they are framed on a stream (RFC 6587)."""

from __future__ import annotations

import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

FACILITY = 13
"""Log audit."""
NOTICE, WARNING = 5, 4
ENTERPRISE = 32473
"""The enterprise number that IANA reserves for documentation (RFC 5612)."""
MAX_MESSAGE_BYTES = 8192
"""UTF-8. RFC 5424 asks receivers to take at least 2048."""
MAX_VALUE_CHARACTERS = 1000


@dataclass(frozen=True)
class LogbookLine:
    """One line of the logbook."""

    number: int
    at: datetime
    who: str
    verb: str
    noun: str
    thing: str
    paddock: str
    details: Mapping[str, object]


def message(line: LogbookLine, host: str) -> bytes:
    """The message, without framing. ``host`` is the server's name."""
    severity = WARNING if line.verb.startswith(("refused", "declined", "locked")) else NOTICE
    at = line.at.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
    fields = {"entry": line.number, "who": line.who, "verb": line.verb, "noun": line.noun, "thing": line.thing}
    if line.paddock:
        fields["paddock"] = line.paddock
    data = _element("logbook", fields) + (_element("details", line.details) if line.details else "")
    head = f"<{FACILITY * 8 + severity}>1 {at} {_name(host, 255)} yellow-paddock - {_name(line.noun, 32)} "
    where = f" in {line.paddock}" if line.paddock else ""
    text = f" \ufeff{_printable(f'{line.who} {line.verb} {line.noun} {line.thing}{where}')}"
    if len((head + data + text).encode()) > MAX_MESSAGE_BYTES:
        data = _element("logbook", {**fields, "cut": "details"})
    return (head + data + text).encode()[:MAX_MESSAGE_BYTES]


def framed(data: bytes) -> bytes:
    """A message on a stream: its length, a space, the message (RFC 6587, octet counting)."""
    return b"%d %s" % (len(data), data)


def _element(name: str, values: Mapping[str, object]) -> str:
    parts = "".join(f' {_name(key, 32)}="{_value(value)}"' for key, value in values.items())
    return f"[{name}@{ENTERPRISE}{parts}]"


def _value(value: object) -> str:
    text = _printable(str(value))[:MAX_VALUE_CHARACTERS]
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("]", "\\]")


def _name(text: str, limit: int) -> str:
    """Printable ASCII without the characters that end a name; "-" for nothing."""
    kept = "".join(one if "!" <= one <= "~" and one not in '="]' else "_" for one in text.strip())
    return kept[:limit] or "-"


def _printable(text: str) -> str:
    """Without control characters, which would forge lines at a receiver."""
    return "".join(" " if unicodedata.category(one) in ("Cc", "Zl", "Zp", "Cs") else one for one in text)

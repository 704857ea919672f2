"""Evidence about the agent of one host: what was read and tried there, before anything is concluded from it."""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass, field
from typing import Any

MAX_LINES, MAX_LINE_LENGTH = 25, 300
MAX_OVERRIDES, MAX_CHECKS, MAX_VALUES = 30, 20, 60


@dataclass(frozen=True)
class Override:
    """One line that was added to the unit as the agent had written it, or differs from it: ``line`` is its number in
    ``file``, from 1."""

    file: str
    line: int
    key: str
    value: str


@dataclass(frozen=True)
class Check:
    """One thing that the agent needs in order to run, looked at or really tried. ``detail`` is what was found, in the
    system's own words."""

    name: str
    ok: bool
    detail: str = ""
    facts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Evidence:
    """All that is known. ``unit`` has the service manager's own properties; ``log`` is the end of what the service
    printed; ``words`` are the agent's last words, the last one last; ``doctor`` is the script that runs the doctor
    there."""

    service: str
    account: str = ""
    home: str = ""
    work_folder: str = ""
    server: str = ""
    doctor: str = ""
    has_sudo: bool = False
    unit: dict[str, str] = field(default_factory=dict)
    overrides: tuple[Override, ...] = ()
    checks: tuple[Check, ...] = ()
    process: dict[str, str] = field(default_factory=dict)
    log: tuple[str, ...] = ()
    words: tuple[str, ...] = ()
    trouble: str = ""

    def check(self, name: str) -> Check | None:
        """The check of this name; None where it was not made."""
        return next((one for one in self.checks if one.name == name), None)

    def failed(self, name: str) -> Check | None:
        """The check of this name where it failed."""
        found = self.check(name)
        return found if found and not found.ok else None


def as_plain(evidence: Evidence) -> dict[str, Any]:
    """The evidence as JSON's types, bounded in number and length."""
    clipped = Evidence(
        **{
            **vars(evidence),
            "unit": _clipped(evidence.unit),
            "process": _clipped(evidence.process),
            "overrides": tuple(
                Override(_line(one.file), one.line, _line(one.key), _line(one.value))
                for one in evidence.overrides[:MAX_OVERRIDES]
            ),
            "checks": tuple(
                Check(_line(one.name), one.ok, _line(one.detail), _clipped(one.facts))
                for one in evidence.checks[:MAX_CHECKS]
            ),
            "log": tuple(_line(one) for one in evidence.log[-MAX_LINES:]),
            "words": tuple(_line(one) for one in evidence.words[-MAX_LINES:]),
        }
    )
    return asdict(clipped)


def _clipped(facts: dict[str, str]) -> dict[str, str]:
    return {_line(name): _line(value) for name, value in list(facts.items())[:MAX_VALUES]}


def _line(text: str) -> str:
    text = re.sub(r"://[^/\s@]+@", "://…@", text)  # names and passwords of proxies
    return "".join(letter if letter.isprintable() else " " for letter in text[:MAX_LINE_LENGTH])

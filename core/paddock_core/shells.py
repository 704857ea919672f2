"""The shells that scripts are written for: what a host needs to run one, and which one a script looks like."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

from .errors import ShellError
from .spelling import nearest

NEEDS = {
    "bash": "any of os linux or os macos or tool bash",
    "sh": "any of os linux or os macos",
    "zsh": "any of os macos or tool zsh",
    "python": "tool python",
    "powershell": "any of os windows or tool powershell",
    "cmd": "os windows",
}
"""Each shell with the term that a job in it implies. Windows and macOS bring some of them along."""

OTHER_NAMES = {"pwsh": "powershell", "python3": "python", "batch": "cmd", "bat": "cmd", "posix": "sh", "dash": "sh"}

_OF_POSIX, _OF_POWERSHELL, _OF_CMD, _OF_PYTHON = "a shell as bash", "PowerShell", "cmd", "Python"
_FAMILIES = {
    "bash": _OF_POSIX,
    "sh": _OF_POSIX,
    "zsh": _OF_POSIX,
    "python": _OF_PYTHON,
    "powershell": _OF_POWERSHELL,
    "cmd": _OF_CMD,
}
_TO_WRITE = {_OF_POSIX: "bash", _OF_POWERSHELL: "powershell", _OF_CMD: "cmd", _OF_PYTHON: "python"}

_SIGNS = {
    _OF_POSIX: (
        r"^\s*(?:fi|done|esac)\b",
        r"\bthen\s*$",
        r"^\s*export\s+[A-Za-z_]\w*=",
        r"\bif \[\[? ",
        r"^set -[eux]+",
        r"\$\{[A-Za-z_]\w*(?::-|%|#)",
    ),
    _OF_POWERSHELL: (
        r"\$env:[A-Za-z_]",
        r"\b(?:Get|Set|New|Remove|Copy|Move|Write|Start|Stop|Invoke|Test|Import|Install|Select|Where|ForEach)-[A-Z]\w+",
        r"^\s*\$[A-Za-z_]\w* = ",
        r"^\s*param\s*\(",
        r"\s-(?:ErrorAction|Recurse|Force|Path)\b",
    ),
    _OF_CMD: (
        r"^\s*@?echo off\b",
        r"%[A-Za-z_]\w*%",
        r"^\s*set [A-Za-z_]\w*=",
        r"^\s*rem\s",
        r"\bif (?:not )?(?:exist|errorlevel)\b",
        r"^\s*goto\s",
    ),
    _OF_PYTHON: (
        r"^(?:import [a-z_][\w.]*|from [a-z_][\w.]* import \w)",
        r"^\s*def \w+\(.*\):",
        r"^\s*print\(",
        r"^\s*(?:if|for|while|with|try|else|except)\b.*:\s*$",
    ),
}
_PATTERNS = {
    family: [re.compile(sign, re.IGNORECASE if family == _OF_CMD else 0) for sign in signs]
    for family, signs in _SIGNS.items()
}
_FIRST_LINES = (
    (re.compile(r"^#!.*\bpython[\d.]*\b"), _OF_PYTHON),
    (re.compile(r"^#!.*\bpwsh\b"), _OF_POWERSHELL),
    (re.compile(r"^#!.*\b(?:ba|z|da)?sh\b"), _OF_POSIX),
)
MIN_SIGNS = 2
"""One sign alone may be anything, as a line of a text that the script prints."""
MAX_LINES = 2_000
MAX_LINE_LENGTH = 500


def meant_shell(word: str) -> str | None:
    """The shell that another word means, or None where none is near.

    >>> meant_shell("pwsh"), meant_shell("bsh"), meant_shell("fortran")
    ('powershell', 'bash', None)
    """
    return OTHER_NAMES.get(word.casefold()) or nearest(word, NEEDS)


def implied_terms(shells: Iterable[str]) -> list[str]:
    """The terms that a job implies by its shells, as they are written. No shell is the host's own, and implies none.

    >>> implied_terms(["cmd", "", "cmd"])
    ['os windows']
    """
    return list(dict.fromkeys(NEEDS[shell] for shell in shells if shell in NEEDS))


class ScriptStep(Protocol):
    """What is run of a step; one without a script checks out."""

    @property
    def script(self) -> str: ...
    @property
    def shell(self) -> str: ...


def scripts_of(script: str, shell: str, steps: Sequence[ScriptStep]) -> list[tuple[str, str]]:
    """The scripts of a job, each with the shell that it runs in: its steps', or else its one script."""
    return [(step.script, step.shell or shell) for step in steps if step.script] if steps else [(script, shell)]


def refuse_unknown_shell(shell: str) -> None:
    """Raises ShellError for a shell that no agent knows."""
    if shell and shell not in NEEDS:
        raise ShellError(shell, meant_shell(shell), tuple(NEEDS))


@dataclass(frozen=True)
class Look:
    """What a script looks like: ``shell`` is the name to write, ``line`` (from 1) and ``sign`` gave it away."""

    family: str
    shell: str
    line: int
    sign: str


def other_shell(script: str, shell: str, hosts: Sequence[str] = ()) -> Look | None:
    """Where a script looks like one for another shell than it runs in; None where it does not, or is not clear.

    A script without a shell runs in that of its host: ``hosts`` are the systems of those that fit.
    """
    if shell:
        own = {_FAMILIES.get(shell, "")}
    else:
        own = {_OF_POWERSHELL if system == "windows" else _OF_POSIX for system in hosts} or {_OF_POSIX, _OF_POWERSHELL}
    found = {family: signs for family in _SIGNS if (signs := _signs_of(script, family))}
    named = next((family for pattern, family in _FIRST_LINES if pattern.match(script)), "")
    if named and named not in own:
        return Look(named, _TO_WRITE[named], 1, script.splitlines()[0][:80])
    if not shell and len(own) > 1:  # it runs in two shells: whichever it is written for, it fails in the other
        own = own & {_OF_POSIX} if _OF_POWERSHELL in found and _OF_POSIX not in found else own
    strange = [signs for family, signs in found.items() if family not in own]
    if not strange or any(family in own for family in found):
        return None
    number, look = max(strange, key=lambda one: one[0])
    return look if number >= MIN_SIGNS else None


def _signs_of(script: str, family: str) -> tuple[int, Look] | None:
    """How many different signs of a family a script has, with the first of them."""
    first: Look | None = None
    signs = set()
    for number, line in enumerate(script.splitlines()[:MAX_LINES], 1):
        for pattern in _PATTERNS[family]:
            if pattern not in signs and (found := pattern.search(line[:MAX_LINE_LENGTH])):
                signs.add(pattern)
                first = first or Look(family, _TO_WRITE[family], number, found.group().strip())
    return (len(signs), first) if first else None

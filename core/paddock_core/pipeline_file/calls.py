"""Which commands a script calls: good enough to say that it uses a tool which no term names."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

_ENDS = re.compile(r"&&|\|\||[;|&(){}`]|\$\(|\n")
_ASSIGNMENT = re.compile(r"[A-Za-z_][A-Za-z0-9_]*=")
_PREFIXES = ("sudo", "env", "time", "exec", "nohup", "nice", "command", "call", "start", "@", "&", "!")
_BLOCKS = ("then", "do", "else", "elif", "if", "while", "until")
_BEFORE_A_COMMAND = frozenset(_PREFIXES + _BLOCKS)
_HERE = re.compile(r"<<-?\s*(['\"]?)(\w+)\1")


def commands_called(script: str) -> dict[str, int]:
    """The commands, without their folders and ``.exe``, with the line (from 1) on which each is first called.

    >>> commands_called("set -e\\nmake -j4 && ./run | tee log")
    {'set': 1, 'make': 2, 'run': 2, 'tee': 2}
    """
    found: dict[str, int] = {}
    for number, line in _lines(script):
        for part in _ENDS.split(_without_quotes(line)):
            words = part.split()
            while words and (words[0] in _BEFORE_A_COMMAND or _ASSIGNMENT.match(words[0])):
                words = words[1:]
            if words and re.match(r"[A-Za-z0-9_./\\~$@-]", words[0]):
                name = re.split(r"[/\\]", words[0].lstrip("@"))[-1].lower()
                name = re.sub(r"\.(?:exe|cmd|bat)$", "", name)
                if name:
                    found.setdefault(name, number)
    return found


def tools_called(script: str, commands: Mapping[str, str]) -> dict[str, int]:
    """The tools that a script calls, with the line on which each is first called. ``commands`` give the tool that is
    behind a command."""
    found: dict[str, int] = {}
    for command, line in commands_called(script).items():
        if tool := commands.get(command):
            found.setdefault(tool, line)
    return found


def _lines(script: str) -> Iterator[tuple[int, str]]:
    """The lines that are code: no comments, and nothing of a text that follows ``<<``."""
    end = ""
    for number, line in enumerate(script.splitlines(), 1):
        if end:
            end = "" if line.strip() == end else end
            continue
        if here := _HERE.search(line):
            end = here[2]
        yield number, re.sub(r"(?:^|\s)(?:#|//|REM\s|::).*", "", line, flags=re.IGNORECASE)


def _without_quotes(line: str) -> str:
    """Words in quotes are arguments, but for what ``$(…)`` runs in double ones."""
    line = re.sub(r"'[^']*'", "''", line)
    return re.sub(r'"([^"]*)"', lambda m: '""' + "".join(f" ;{run}" for run in re.findall(r"\$\(([^)]*)", m[1])), line)

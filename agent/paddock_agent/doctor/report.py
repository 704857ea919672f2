"""The doctor's report for a terminal, and for a person who copies it."""

from __future__ import annotations

import textwrap

from .diagnosis import Diagnosis
from .evidence import Evidence

WIDTH = 100


def report(evidence: Evidence, found: Diagnosis) -> str:
    """What is wrong, how that is known, what to do; then every check that was made."""
    lines = [_wrapped(found.sentence)]
    lines += _listed("What is known", found.known)
    if found.unknown:
        lines += ["", f"Not known: {found.unknown}"]
    if found.possible:
        lines += ["", "What fits, and what tells it apart:"]
        for one in found.possible:
            lines += [_wrapped(one.sentence, "  - "), *([f"      {one.command}"] if one.command else [])]
    if found.remedy:
        lines += ["", _wrapped(found.remedy, "To do: ")]
    lines += [f"  {command}" for command in found.commands]
    lines += ["", f"Checked for {evidence.service or 'an agent that no service runs'} on this machine:"]
    for check in evidence.checks:
        lines.append(_wrapped(f"{check.name}: {check.detail}", "  ok      " if check.ok else "  failed  "))
    return "\n".join(lines)


def bundle(evidence: Evidence, found: Diagnosis) -> str:
    """The same with the raw evidence, for a colleague."""
    parts = [report(evidence, found), "", "The unit, as its manager has it:"]
    parts += [f"  {name}={value}" for name, value in evidence.unit.items() if value]
    if evidence.overrides:
        parts += ["", "Lines added to the unit:"]
        parts += [f"  {one.file}:{one.line}: {one.key}={one.value}" for one in evidence.overrides]
    parts += ["", "The process:", *(f"  {name}: {value}" for name, value in evidence.process.items())]
    parts += ["", "The agent's last words:", *(f"  {line}" for line in evidence.words)]
    parts += ["", "The end of the service's log:", *(f"  {line}" for line in evidence.log)]
    return "\n".join(parts)


def _listed(title: str, lines: tuple[str, ...]) -> list[str]:
    return ["", f"{title}:", *(_wrapped(line, "  - ") for line in lines)] if lines else []


def _wrapped(text: str, first: str = "") -> str:
    return textwrap.fill(text, WIDTH, initial_indent=first, subsequent_indent=" " * len(first), break_long_words=False)

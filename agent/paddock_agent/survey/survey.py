"""Looks for every tool side by side, each within its time, and says what is there, what is broken, and what was run."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import CommandFailed
from ..system import Completed, System
from ..system.paths import paths_of
from ..wire import Broken, Installation
from .places import candidates, file_names, literally, plain_command
from .tools import TOOLS, Tool

PATIENCE = 10.0
"""Seconds for one probe. A Maven on a busy two-core machine takes three."""
SIDE_BY_SIDE = 4
"""Probes at a time: enough to hide a slow one, few enough not to slow the jobs that run on the host."""

_COLOUR = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")
_UNPRINTABLE = re.compile(r"[^\x20-\x7e\u00a0-\uffff]")


@dataclass(frozen=True)
class SurveyResult:
    """What was found, and what was found but does not work. ``took`` is in seconds."""

    installations: list[Installation]
    broken: list[Broken]
    took: float


async def survey(system: System, tools: Sequence[Tool] = TOOLS, patience: float = PATIENCE) -> SurveyResult:
    """Surveys the host. A tool that hangs, crashes or prints rubbish costs its own time and spoils nothing else."""
    began = time.monotonic()
    turn = asyncio.Semaphore(SIDE_BY_SIDE)
    found = await asyncio.gather(*(_look_for(system, tool, turn, patience) for tool in tools))
    installations = [one for here, _ in found for one in here]
    broken = [one for _, here in found for one in here]
    return SurveyResult(installations, broken, time.monotonic() - began)


async def _look_for(
    system: System, tool: Tool, turn: asyncio.Semaphore, patience: float
) -> tuple[list[Installation], list[Broken]]:
    places = _without_links(system, candidates(system, tool))
    plain = plain_command(system, tool)
    answers = await asyncio.gather(*(_probe(system, tool, place, turn, patience) for place in places))
    installations: dict[tuple[str, str], Installation] = {}
    broken: list[Broken] = []
    for place, answer in zip(places, answers, strict=True):
        if isinstance(answer, str):
            broken.append(Broken(tool=tool.name, path=place[:2000], why=answer[:2000]))
            continue
        if answer is None:
            continue
        is_plain = plain is not None and system.real_path(plain) == system.real_path(place)
        one = _installation(system, tool, place, answer, is_plain)
        if one is None:
            continue
        # Two commands that lead to one installation (a shim, a version's own name) are one: the plain one stays.
        key = (system.real_path(one.path), one.version)
        if key not in installations or (is_plain and not installations[key].plain):
            installations[key] = one
    return list(installations.values()), broken


def _without_links(system: System, places: list[str]) -> list[str]:
    first: dict[str, str] = {}
    for place in places:
        first.setdefault(system.real_path(place), place)
    return list(first.values())


async def _probe(
    system: System, tool: Tool, place: str, turn: asyncio.Semaphore, patience: float
) -> Completed | str | None:
    """What the tool answered; a sentence where it is there but broken; None where the file is something else."""
    async with turn:
        try:
            answer = await system.run([place, *tool.ask], patience)
        except CommandFailed as error:
            return str(error)
    if tool.version.search(_text(answer)):
        return answer
    if answer.exit_code != 0:
        return f"`{_asked(tool, place)}` ended with exit code {answer.exit_code}: {_first_line(_text(answer))}"
    return None


def _installation(system: System, tool: Tool, place: str, answer: Completed, plain: bool) -> Installation | None:
    text = _text(answer)
    paths = paths_of(system)
    version = tool.version.search(text)
    assert version is not None
    real = system.real_path(place)
    says_home = tool.says_home.search(text) if tool.says_home else None
    says_path = tool.says_path.search(text) if tool.says_path else None
    bin_folder = paths.dirname(real)
    home = (
        says_home.group(1)
        if says_home
        else _above_bin(paths.dirname(bin_folder), paths.basename(bin_folder), bin_folder)
    )
    if tool.beside:
        folders = [bin_folder, paths.join(home, "bin")]
        names = file_names(system, tool.beside)
        if not any(system.executables(literally(paths.join(folder, name))) for folder in folders for name in names):
            return None
    return Installation(
        tool=tool.name,
        version=version.group(1)[:200],
        path=(says_path.group(1) if says_path else place)[:2000],
        home=home[:2000],
        plain=plain,
        evidence=f"{_asked(tool, place)} → {_line_with(text, version.start(1))}"[:2000],
    )


def _above_bin(above: str, name: str, folder: str) -> str:
    return above if name.lower() in ("bin", "cmd", "sbin") else folder


def _asked(tool: Tool, place: str) -> str:
    shown = " ".join(argument if len(argument) < 40 else "…" for argument in tool.ask)
    return f"{place} {shown}"


def _text(answer: Completed) -> str:
    return _COLOUR.sub("", answer.stdout + "\n" + answer.stderr).replace("\r\n", "\n")


def _line_with(text: str, place: int) -> str:
    start, end = text.rfind("\n", 0, place) + 1, text.find("\n", place)
    return _UNPRINTABLE.sub("?", text[start : end if end >= 0 else None].strip())[:300]


def _first_line(text: str) -> str:
    return _UNPRINTABLE.sub("?", text.strip().split("\n", 1)[0])[:300] or "it printed nothing"

"""Looks for every tool side by side, each within its time, and says what is there, what is broken, and what was run."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import Coroutine, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

import msgspec

from ..catalogue import Listing, Tool
from ..catalogue.checking import readings
from ..catalogue.reading import first_match
from ..errors import CommandFailed
from ..system import Completed, System
from ..system.paths import paths_of
from ..wire import Broken, FoundInstallation
from .places import Place, commands_of, file_names, in_folder, literally, places_of, plain_command
from .printable import first_lines, plain_text, shown_path, why_not_text

WHOLE = 180.0
"""Seconds for one survey. Tools not asked by then are listed as not asked."""
MAX_ASKED = 60
"""Different files of one tool."""
MAX_VERSION_LENGTH = 200
MAX_ALSO = 20


@dataclass(frozen=True)
class SurveyResult:
    """What was found, what was found but does not work, and the names of the tools that were looked for; those that are
    in neither list are not there. ``took`` is in seconds. ``shortage`` is why it could not look at everything, in the
    system's own words: then a tool that was not found may well be there."""

    installations: list[FoundInstallation]
    broken: list[Broken]
    looked_for: list[str] = field(default_factory=list)
    took: float = 0.0
    shortage: str = ""


SHORTAGES = {
    "Too many open files": "EMFILE",
    "Too many open files in system": "ENFILE",
    "Resource temporarily unavailable": "EAGAIN",
    "Cannot allocate memory": "ENOMEM",
}
"""What a system says that has no more of something, with the name of its error: the fault is not the tool's."""


async def survey(
    system: System, tools: Sequence[Tool], patience: float | None = None, whole: float = WHOLE
) -> SurveyResult:
    """Surveys the host. A tool that hangs, crashes or prints rubbish costs its own time and spoils nothing else.

    ``patience`` is instead of each tool's own, in seconds. Tools that are not looked for on this system are left out.
    """
    began = time.monotonic()
    wanted = [tool for tool in tools if tool.places(system.family) is not None]
    look = _Look(system, patience, began + whole)
    # File systems may be remote and slow; the agent continues in the meantime.
    places = await asyncio.to_thread(lambda: [places_of(system, tool) for tool in wanted])
    try:
        found = await _all(look.at(tool, here) for tool, here in zip(wanted, places, strict=True))
    finally:
        await look.end()
    installations = [one for here, _ in found for one in here]
    broken = [one for _, here in found for one in here]
    took = time.monotonic() - began
    return SurveyResult(installations, broken, [tool.name for tool in wanted], took, look.shortage)


_Done = TypeVar("_Done")


async def _all(work: Iterable[Coroutine[Any, Any, _Done]]) -> list[_Done]:
    """What they give, in order. Unlike after a gather, when it is cancelled each has ended what it has started."""
    async with asyncio.TaskGroup() as group:
        tasks = [group.create_task(one) for one in work]
    return [task.result() for task in tasks]


class _Look:
    """One survey at work: its bounds, and the listings that several tools share."""

    def __init__(self, system: System, patience: float | None, until: float) -> None:
        self._system = system
        self._patience = patience
        self._until = until
        # Enough to hide a slow probe, few enough not to slow the jobs that run on the host.
        self._turn = asyncio.Semaphore(max(4, min(16, 2 * system.hardware().cores)))
        self._listed: dict[tuple[str, ...], asyncio.Task[Completed | None]] = {}
        self.shortage = ""

    async def at(self, tool: Tool, places: list[Place]) -> tuple[list[FoundInstallation], list[Broken]]:
        """What there is of one tool."""
        listed = await self._listings(tool)
        different = _without_links(self._system, [*places, *listed])[:MAX_ASKED]
        plain = plain_command(self._system, commands_of(self._system, tool))
        plainly = self._system.real_path(plain) if plain else None
        answers = await _all(self._ask(tool, place) for place, _ in different)
        installations: dict[tuple[str, str], FoundInstallation] = {}
        broken: list[Broken] = []
        reports_home = any("home" in reading.names for reading in readings(tool.reads))
        for (place, also), answer in zip(different, answers, strict=True):
            is_plain = plainly is not None and plainly == self._system.real_path(place.path)
            one = self._read(tool, place, also, answer, is_plain)
            if isinstance(one, Broken):
                broken.append(one)
            elif one is not None:
                # Two commands that lead to one installation (a shim, a version's own name) are one: the plain one
                # stays. So are two scripts that name the same home.
                key = (one.home if reports_home else self._system.real_path(one.path), one.version)
                if key not in installations or (is_plain and not installations[key].plain):
                    installations[key] = one
        return _without_listed_twice(list(installations.values())), broken

    async def _ask(self, tool: Tool, place: Place) -> Completed | str | None:
        """What the tool answered; a sentence where it could not be asked; None where it need not be."""
        if place.version or place.why_not:
            return place.why_not or None
        try:
            return await self._run([place.path, *tool.ask], tool.seconds, tool.locale)
        except CommandFailed as error:
            return str(error)

    async def _run(self, command: Sequence[str], seconds: float, locale: str = "C") -> Completed:
        async with self._turn:
            left = self._until - time.monotonic()
            if left <= 0:
                raise CommandFailed("it was not asked: the time of the whole survey was over")
            try:
                return await self._system.run(command, min(self._patience or seconds, left), locale)
            except CommandFailed as error:
                for words, name in SHORTAGES.items():
                    if str(error).endswith(words):
                        self.shortage = f"{error} ({name})"
                raise

    async def _listings(self, tool: Tool) -> list[Place]:
        places = tool.places(self._system.family)
        found: list[Place] = []
        for listing in places.listings if places else ():
            key = tuple(listing.run)
            if key not in self._listed:
                self._listed[key] = asyncio.create_task(self._list(listing, tool.seconds))
            # Several tools wait for one listing: cancelled by each of them, it could not end what it has started.
            if output := await asyncio.shield(self._listed[key]):
                found.extend(self._from_listing(tool, listing, plain_text(output, tool.stream)))
        return found

    async def end(self) -> None:
        """Ends the listings that are still at work."""
        for task in self._listed.values():
            task.cancel()
        await asyncio.gather(*self._listed.values(), return_exceptions=True)

    async def _list(self, listing: Listing, seconds: float) -> Completed | None:
        try:
            return await self._run(listing.run, seconds, "own")
        except CommandFailed:
            return None  # the host has no such command: what it would list is looked for in the other places

    def _from_listing(self, tool: Tool, listing: Listing, text: str) -> list[Place]:
        (reading,) = readings([listing.reads])
        evidence, found = f"`{' '.join(listing.run)}`", []
        for line in text.splitlines()[:200]:
            if (taken := reading.match(line)) is None:
                continue
            path = taken.get("path") or taken.get("home") or listing.path
            if version := taken.get("version"):
                gone = bool(listing.path) and not self._system.look(literally(listing.path))
                why = f"{evidence} names version {version}, but there is nothing" if gone else ""
                inside = paths_of(self._system).join(path, version) if "path" in taken else path
                found.append(
                    Place(inside or listing.run[-1], why, version, f"{evidence} → {line.strip()[:300]}", inside)
                )
                continue
            folder = path if "path" in taken else paths_of(self._system).join(path, "bin")
            here = in_folder(self._system, literally(folder), commands_of(self._system, tool))
            in_bin = in_folder(
                self._system, literally(paths_of(self._system).join(folder, "bin")), commands_of(self._system, tool)
            )
            found.extend([*here, *in_bin])
        return found

    def _read(
        self, tool: Tool, place: Place, also: list[str], answer: Completed | str | None, plain: bool
    ) -> FoundInstallation | Broken | None:
        if isinstance(answer, str):
            return _broken(tool, place, answer)
        if why := why_not_text(place.path):
            return _broken(tool, place, why)
        if answer is None:
            return self._listed_installation(tool, place, also, plain)
        text = plain_text(answer, tool.stream)
        absent = readings(tool.absent_when)
        if any(reading.match(line) is not None for line in text.splitlines()[:50] for reading in absent):
            return None
        taken = first_match(readings(tool.reads), text)
        version = taken.get("version", "")
        asked, output = _asked(tool, place.path), first_lines(text)
        if answer.exit_code not in tool.exit_codes:
            first = output.split("\n", 1)[0] or "it printed nothing"
            return _broken(tool, place, f"`{asked}` ended with exit code {answer.exit_code}: {first}", answer, output)
        if not version:
            first = output.split("\n", 1)[0]
            why = f"`{asked}` printed no version: {first}" if first else f"`{asked}` printed nothing"
            return _broken(tool, place, why, answer, output)
        if len(version) > MAX_VERSION_LENGTH:
            return _broken(
                tool, place, f"`{asked}` printed a version of {len(version):,} characters", answer, output[:500]
            )
        home = taken.get("home") or _above_bin(self._system, place.path)
        if tool.whole_with and not self._has_beside(tool.whole_with, place.path, home):
            return None
        return FoundInstallation(
            tool=tool.name,
            version=_with_build(version, taken.get("build", "")),
            path=(taken.get("path") or place.path)[:2000],
            home=home[:2000],
            plain=plain,
            evidence=f"{asked} → {_line_with(text, version)}"[:2000],
            exit_code=answer.exit_code,
            output=output,
            also=also[:MAX_ALSO],
        )

    def _listed_installation(
        self, tool: Tool, place: Place, also: list[str], plain: bool
    ) -> FoundInstallation | Broken:
        if len(place.version) > MAX_VERSION_LENGTH:
            return _broken(tool, place, f"{place.source[:200]} tells a version of {len(place.version):,} characters")
        home = place.home or _above_bin(self._system, place.path)
        return FoundInstallation(
            tool=tool.name, version=place.version, path=place.path[:2000], home=home[:2000], plain=plain,
            evidence=place.source[:2000], also=also[:MAX_ALSO],
        )  # fmt: skip

    def _has_beside(self, command: str, path: str, home: str) -> bool:
        paths = paths_of(self._system)
        folders = [paths.dirname(self._system.real_path(path)), paths.join(home, "bin")]
        names = file_names(self._system, command)
        return any(
            self._system.executables(literally(paths.join(folder, name))) for folder in folders for name in names
        )


def _without_links(system: System, places: list[Place]) -> list[tuple[Place, list[str]]]:
    """Each file once, with the other paths that lead to it; one that cannot be run stands for itself."""
    first: dict[tuple[str, str], tuple[Place, list[str]]] = {}
    for place in places:
        key = (place.path if place.why_not else system.real_path(place.path), place.version)
        kept, also = first.setdefault(key, (place, []))
        if kept.path != place.path:
            also.append(shown_path(place.path)[:2000])
    return list(first.values())


def _without_listed_twice(found: list[FoundInstallation]) -> list[FoundInstallation]:
    """Makes one of what was asked and what a list of the system names again.

    A listing may name something inside the home of what was asked itself; a property list may tell the version of what
    a command of the system's own, which was asked, only leads to.
    """
    asked = [one for one in found if one.exit_code is not None]
    evidence = [one for one in found if one.exit_code is None]
    kept = [
        t for t in evidence if not any(t.version == a.version and a.home and t.path.startswith(a.home) for a in asked)
    ]
    for one in asked:
        twin = next((t for t in kept if t.exit_code is None and t.version == one.version), None)
        if twin is None:
            kept.append(one)
        else:
            place = kept.index(twin)
            kept[place] = msgspec.structs.replace(twin, plain=one.plain or twin.plain, also=[*twin.also, one.path])
    return kept


def _broken(tool: Tool, place: Place, why: str, answer: Completed | None = None, output: str = "") -> Broken:
    return Broken(
        tool=tool.name, path=shown_path(place.path)[:2000], why=why[:2000],
        exit_code=answer.exit_code if answer else None, output=output,
    )  # fmt: skip


def _above_bin(system: System, path: str) -> str:
    paths = paths_of(system)
    folder: str = paths.dirname(system.real_path(path))
    above: str = paths.dirname(folder)
    return above if paths.basename(folder).lower() in ("bin", "cmd", "sbin") else folder


def _with_build(version: str, build: str) -> str:
    return f"{version} ({build})"[:MAX_VERSION_LENGTH] if build else version


def _asked(tool: Tool, place: str) -> str:
    shown = " ".join(argument if len(argument) < 40 else "…" for argument in tool.ask)
    return f"{shown_path(place)} {shown}".strip()


def _line_with(text: str, version: str) -> str:
    line = next((line for line in text.splitlines() if re.search(rf"(?<![0-9.]){re.escape(version)}", line)), "")
    return first_lines(line)[:300]

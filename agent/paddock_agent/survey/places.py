"""Where a tool could be on a host: candidates in the order in which a person would look."""

from __future__ import annotations

import plistlib
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any
from xml.parsers.expat import ExpatError

from ..catalogue import Bundle, Places, Tool, VersionFile
from ..catalogue.checking import readings
from ..catalogue.reading import first_match
from ..system import System
from ..system.paths import path_folders, paths_of, variable

MAX_PATHS = 1000
"""For each tool, links and all."""


@dataclass(frozen=True)
class Place:
    """A file that could be the tool. ``why_not`` says why it cannot be asked. Where ``version`` is known already, from
    a property list or a listing, ``source`` names it, and nothing is run."""

    path: str
    why_not: str = ""
    version: str = ""
    source: str = ""
    home: str = ""


def file_names(system: System, command: str) -> list[str]:
    """The names under which a command is found: on Windows with each ending that can be run."""
    if system.family != "windows":
        return [command]
    return [command + ending for ending in (".exe", ".cmd", ".bat")]


def plain_command(system: System, commands: list[str]) -> str | None:
    """What a shell would start for the first of these names that is on the path."""
    paths = paths_of(system)
    for command in commands:
        if "[" in command or "*" in command:
            continue
        for folder in path_folders(system):
            for name in file_names(system, command):
                if found := system.executables(literally(paths.join(folder, name))):
                    return found[0]
    return None


def places_of(system: System, tool: Tool) -> list[Place]:
    """All files that could be the tool, without repeats: those on the path first."""
    known = tool.places(system.family) or Places()
    commands = commands_of(system, tool)
    paths = paths_of(system)
    folders = [literally(folder) for folder in path_folders(system)]
    for name in tool.home_variables:
        if home := variable(system, name).strip():
            folders.extend(literally(paths.join(home, below)) if below else literally(home) for below in tool.on_path)
    folders.extend(folder for given in known.folders if (folder := _expanded(system, given)))
    found: dict[str, Place] = {}
    for folder in folders:
        for one in in_folder(system, folder, commands):
            found.setdefault(one.path, one)
    for one in _registered(system, known, commands):
        found.setdefault(one.path, one)
    for bundle in known.bundles:
        for one in _bundled(system, bundle):
            found.setdefault(one.path, one)
    for described in known.version_files:
        for one in _described(system, described):
            found.setdefault(one.path, one)
    return list(found.values())[:MAX_PATHS]


def commands_of(system: System, tool: Tool) -> list[str]:
    """What the tool's files are called on this system."""
    known = tool.places(system.family)
    return (known.commands if known else []) or tool.commands


def in_folder(system: System, folder: str, commands: list[str]) -> Iterator[Place]:
    """The tool's files in a folder; ``folder`` is a pattern."""
    paths = paths_of(system)
    for command in commands:
        for name in file_names(system, command):
            for one in system.look(paths.join(folder, name)):
                yield Place(one.path, one.why_not)


def watched_folders(system: System, tools: Sequence[Tool]) -> list[str]:
    """The folders in which a tool could come or go: those of the path, and the known ones down to their first ``*``."""
    folders = dict.fromkeys(path_folders(system))
    for tool in tools:
        for given in (tool.places(system.family) or Places()).folders:
            if folder := _expanded(system, given, plainly=True):
                folders.setdefault(_above_pattern(folder, "\\" if system.family == "windows" else "/"))
    return list(folders)


def _above_pattern(folder: str, separator: str) -> str:
    parts = folder.split(separator)
    plain = next((place for place, part in enumerate(parts) if "*" in part or "[" in part), len(parts))
    return separator.join(parts[:plain]) or separator


def _expanded(system: System, folder: str, plainly: bool = False) -> str:
    """``folder`` with the account's own in place of ``~``; "" where that is not known."""
    if not folder.startswith("~"):
        return folder
    own = variable(system, "USERPROFILE" if system.family == "windows" else "HOME")
    return (own if plainly else literally(own)) + folder[1:] if own else ""


def _registered(system: System, known: Places, commands: list[str]) -> Iterator[Place]:
    paths = paths_of(system)
    for place in known.registry:
        for key in system.registry(place.key):
            folder = key.values.get(place.value, "").strip()
            if not folder:
                continue
            inside = paths.join(folder, place.inside) if place.inside else folder
            here = list(in_folder(system, literally(inside), commands))
            yield from here
            if not here:
                named = f"{place.value or 'the default value'} of {key.key}"
                missing = paths.join(inside, file_names(system, commands[0])[0])
                yield Place(missing, f"the registry names it ({named}), but there is nothing")


def _bundled(system: System, bundle: Bundle) -> Iterator[Place]:
    paths = paths_of(system)
    for file in system.look(bundle.plist):
        home = file.path
        for _ in range(bundle.home):
            home = paths.dirname(home)
        program = paths.join(home, bundle.program) if bundle.program else home
        properties = property_list(system.read_bytes(file.path) or b"")
        version, build = (
            str(properties.get(bundle.version, "")),
            str(properties.get(bundle.build, "")) if bundle.build else "",
        )
        if not version:
            yield Place(program, f"{file.path} has no {bundle.version}")
            continue
        evidence = f"{bundle.version} of {file.path}"
        yield Place(program, "", f"{version} ({build})" if build else version, evidence, home)


def _described(system: System, described: VersionFile) -> Iterator[Place]:
    paths = paths_of(system)
    pattern = _expanded(system, described.file)
    for file in system.look(pattern) if pattern else ():
        home = paths.dirname(file.path)
        program = paths.join(home, described.program) if described.program else home
        version = first_match(readings([described.reads]), system.read_text(file.path) or "").get("version", "")
        if version:
            yield Place(program, "", version, f"{file.path}: {described.reads.replace('{version}', version)}", home)
        else:
            yield Place(program, f"{file.path} tells no version")


def property_list(data: bytes) -> dict[str, Any]:
    """A property list; empty where it is none."""
    try:
        properties = plistlib.loads(data)
    except (plistlib.InvalidFileException, ExpatError, ValueError, OverflowError, RecursionError):
        return {}
    return properties if isinstance(properties, dict) else {}


def literally(path: str) -> str:
    """A path as a pattern that matches only itself."""
    return re.sub(r"([*?[])", r"[\1]", path)

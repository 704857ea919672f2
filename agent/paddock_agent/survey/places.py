"""Where a tool could be on a host: candidates in the order in which a person would look."""

from __future__ import annotations

import re

from ..system import System
from ..system.paths import path_folders, paths_of, variable
from .tools import Tool

MOST_CANDIDATES = 40
"""For each tool. A folder of links to hundreds of versions is looked into no further."""


def file_names(system: System, command: str) -> list[str]:
    """The names under which a command is found: on Windows with each ending that can be run."""
    if system.family != "windows":
        return [command]
    return [command + ending for ending in (".exe", ".cmd", ".bat")]


def plain_command(system: System, tool: Tool) -> str | None:
    """What a shell would start for the tool's plain name."""
    paths = paths_of(system)
    for command in tool.commands:
        if "[" in command:
            continue
        for folder in path_folders(system):
            for name in file_names(system, command):
                if found := system.executables(literally(paths.join(folder, name))):
                    return found[0]
    return None


def candidates(system: System, tool: Tool) -> list[str]:
    """All files that could be the tool, without repeats: the plain command first."""
    paths = paths_of(system)
    folders = [literally(folder) for folder in path_folders(system)]
    for name in tool.home_variables:
        if home := variable(system, name).strip():
            folders.append(literally(paths.join(home, "bin")))
    home_folder = variable(system, "USERPROFILE" if system.family == "windows" else "HOME")
    for folder in tool.folders.get(system.family, ()):
        if folder.startswith("~") and not home_folder:
            continue
        folders.append(literally(home_folder) + folder[1:] if folder.startswith("~") else folder)
    found: dict[str, None] = {}
    for folder in folders:
        for command in tool.commands:
            for name in file_names(system, command):
                found.update(dict.fromkeys(system.executables(paths.join(folder, name))))
    return list(found)[:MOST_CANDIDATES]


def literally(path: str) -> str:
    """A path as a pattern that matches only itself."""
    return re.sub(r"([*?[])", r"[\1]", path)

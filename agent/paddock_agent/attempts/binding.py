"""What a script finds in its environment of the installations that its job's terms are bound to."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from ..catalogue import Tool
from ..system import System
from ..system.paths import path_folders, path_separator, paths_of
from ..wire import BoundTool


def bound_environment(
    system: System, bound: Sequence[BoundTool], definition: Callable[[str], Tool | None]
) -> dict[str, str]:
    """Variables for each installation, and a PATH on which the bare command is the bound one.

    Of several installations of one tool the first has the plain names (``PADDOCK_TOOL_JDK_HOME``, ``JAVA_HOME``, the
    front of the path); the next ones get a number (``PADDOCK_TOOL_JDK_2_HOME``).
    """
    variables: dict[str, str] = {}
    in_front: list[str] = []
    seen: dict[str, int] = {}
    for tool in bound:
        seen[tool.tool] = number = seen.get(tool.tool, 0) + 1
        known_as = re.sub(r"[^A-Z0-9]", "_", tool.tool.upper()) + ("" if number == 1 else f"_{number}")
        variables[f"PADDOCK_TOOL_{known_as}_VERSION"] = tool.version
        variables[f"PADDOCK_TOOL_{known_as}_PATH"] = tool.path
        variables[f"PADDOCK_TOOL_{known_as}_HOME"] = tool.home
        defined = definition(tool.tool)
        if number > 1:
            continue
        if defined and tool.home:
            variables.update(dict.fromkeys(defined.home_variables, tool.home))
        if not tool.plain:
            in_front += _folders(system, tool, defined)
    if in_front:
        folders = dict.fromkeys([*in_front, *path_folders(system)])
        variables["PATH"] = path_separator(system).join(folders)
    return variables


def _folders(system: System, tool: BoundTool, defined: Tool | None) -> list[str]:
    """Where its command is, and what else of it belongs on the path. A tool in a folder that the path has anyway has
    no home of its own: more of that folder would come in front of other tools too."""
    paths = paths_of(system)
    own = paths.dirname(tool.path)
    if not defined or not tool.home or own in path_folders(system):
        return [own]
    below = [paths.normpath(paths.join(tool.home, folder)) for folder in defined.on_path]
    return [own, *(folder for folder in below if folder != own and system.changed_at(folder) is not None)]

"""The tools that come with this program."""

from __future__ import annotations

import functools
from importlib import resources

from ..errors import BadTool
from .checking import read_tool
from .definition import Tool


@functools.cache
def built_in() -> tuple[Tool, ...]:
    """All of them, by name. Raises BadTool, with the file, for one that is wrong."""
    tools = []
    for file in sorted((resources.files(__package__) / "tools").iterdir(), key=lambda file: file.name):
        if not file.name.endswith(".yaml"):
            continue
        try:
            tool = read_tool(file.read_text(encoding="utf-8"))
        except BadTool as error:
            raise BadTool(f"{file.name}: {error}") from None
        if file.name != f"{tool.name}.yaml":
            raise BadTool(f"{file.name}: it names the tool {tool.name}")
        tools.append(tool)
    return tuple(tools)

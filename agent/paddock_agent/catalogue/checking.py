"""Reading a tool's file, and saying what is wrong with it."""

from __future__ import annotations

import functools

import msgspec

from ..errors import BadReading, BadTool
from .definition import Places, Tool
from .reading import Reading

MAX_FILE_BYTES = 64 * 1024
MAX_FOLDER_STARS = 4
FAMILIES = ("linux", "macos", "windows")


def read_tool(text: str) -> Tool:
    """A tool from its YAML (or JSON) text. Raises BadTool with the field that is wrong, and why."""
    if len(text) > MAX_FILE_BYTES:
        raise BadTool(f"a tool's file has at most {MAX_FILE_BYTES // 1024} KiB")
    if "&" in text and "*" in text and any(word[0] == "&" and len(word) > 1 for word in text.split()):
        raise BadTool("a tool's file has no anchors")  # they can stand for more text than any memory holds
    try:
        tool = msgspec.yaml.decode(text, type=Tool)
    except msgspec.ValidationError as error:
        raise BadTool(str(error).replace("`$", "`")) from None
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        raise BadTool(f"this is not valid YAML: {error}") from None
    return checked(tool)


def checked(tool: Tool) -> Tool:
    """The tool itself, when everything in it can be used. Raises BadTool."""
    if not any(tool.places(family) is not None for family in FAMILIES):
        raise BadTool("it is looked for on no system: give it linux, macos or windows, as `linux: {}`")
    named: set[str] = set()
    for place, text in enumerate(tool.reads, 1):
        named |= _reading(text, f"reads, line {place}").names
    for place, text in enumerate(tool.absent_when, 1):
        _reading(text, f"absent_when, line {place}")
    listed = False
    for family in FAMILIES:
        places = tool.places(family) or Places()
        listed = listed or bool(places.bundles)
        for described in places.version_files:
            if "version" not in _reading(described.reads, f"{family}.version_files").names:
                raise BadTool(f"{family}.version_files: its reading takes no {{version}}")
            listed = True
        for listing in places.listings:
            names = _reading(listing.reads, f"{family}.listings").names
            if not names & {"version", "path", "home"}:
                raise BadTool(f"{family}.listings: its reading takes neither a version nor a path")
            listed = listed or "version" in names
        for folder in places.folders:
            _is_absolute(folder, family)
    if "version" not in named and not listed:
        raise BadTool("no line of `reads` takes a {version}")
    for name in (*tool.commands, tool.whole_with):
        if "/" in name or "\\" in name:
            raise BadTool(f"{name}: a command is a file name, without a folder")
    if tool.name in tool.aliases:
        raise BadTool(f"aliases: {tool.name} is its own name")
    return tool


def _is_absolute(folder: str, family: str) -> None:
    if family == "windows":
        absolute = folder[1:3] == ":\\" or folder.startswith("~\\")
    else:
        absolute = folder.startswith(("/", "~/"))
    if not absolute:
        raise BadTool(f"{family}.folders: {folder} is not an absolute path")
    if folder.count("*") > MAX_FOLDER_STARS:
        raise BadTool(f"{family}.folders: {folder} has more than {MAX_FOLDER_STARS} stars: it would search whole disks")


@functools.lru_cache(maxsize=2000)
def _compiled(text: str) -> Reading:
    return Reading(text)


def _reading(text: str, where: str) -> Reading:
    try:
        return _compiled(text)
    except BadReading as error:
        raise BadTool(f"{where}: {error}") from None


def readings(texts: list[str]) -> list[Reading]:
    """The readings of a checked tool."""
    return [_compiled(text) for text in texts]

"""Tools for stand-in hosts: a line such as ``jdk 17.0.11 in /opt/jdk-17/bin`` becomes files that answer as the tool
does.

What they print is made from the catalogue's own readings, so it says that our code finds its way to a tool, not that a
tool prints just so: that is tested with what real ones print.
"""

from __future__ import annotations

import plistlib
import re
from dataclasses import dataclass, field

from paddock_agent.catalogue import Tool, built_in
from paddock_agent.catalogue.reading import Reading
from paddock_agent.system.port import Family

from .answer import Answer

_LINE = re.compile(r"(?P<tool>\S+) (?P<version>\S+)(?: \((?P<build>\S+)\))? in (?P<folder>.+)")


@dataclass
class Equipment:
    """What lies on a disk because of some tools."""

    commands: dict[str, dict[str, Answer]] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)


def tool_of(line: str) -> str:
    """The tool that a line is about."""
    return line.split(maxsplit=1)[0]


def equipped(family: Family, lines: list[str]) -> Equipment:
    """The files of these tools. Raises ValueError for a line that is none, or a tool that is not in the catalogue."""
    known = {tool.name: tool for tool in built_in()}
    made = Equipment()
    for line in lines:
        found = _LINE.fullmatch(line)
        if found is None or found["tool"] not in known:
            raise ValueError(f"{line!r} should be as: jdk 17.0.11 in /opt/jdk-17/bin, with a tool of the catalogue")
        _add(made, family, known[found["tool"]], found["version"], found["build"] or "", found["folder"])
    return made


def _add(made: Equipment, family: Family, tool: Tool, version: str, build: str, folder: str) -> None:
    places = tool.places(family)
    separator = "\\" if family == "windows" else "/"
    ending = ".exe" if family == "windows" else ""
    if places and places.bundles:
        bundle = places.bundles[0]
        keys = {bundle.version: version, **({bundle.build: build} if bundle.build else {})}
        made.files[f"{folder}/Contents/{bundle.plist.rpartition('/')[2]}"] = plistlib.dumps(keys).decode()
        made.commands[f"{folder}/{bundle.program}"] = {}
        return
    if places and places.version_files:
        described = places.version_files[0]
        file = separator.join([folder, described.file.rpartition(separator)[2]])
        made.files[file] = described.reads.replace("{version}", version) + "\n"
        made.commands[separator.join([folder, described.program])] = {}
        return
    command = ((places.commands if places else []) or tool.commands)[0]
    path = separator.join([folder, command + ending])
    home = folder.removesuffix(f"{separator}bin")
    values = {"version": version, "build": build, "home": home, "path": path}
    text, names_seen = "", set[str]()
    for reading in tool.reads:
        names = Reading(reading).names
        if not names <= names_seen and (build or "build" not in names):
            text += filled(reading, values) + "\n"
            names_seen |= names
    answer = Answer(stderr=text) if tool.stream == "error" else Answer(stdout=text)
    made.commands[path] = {" ".join(tool.ask): answer}
    if tool.whole_with:
        made.commands[separator.join([folder, tool.whole_with + ending])] = {}


def filled(reading: str, values: dict[str, str]) -> str:
    """A line that a reading matches."""
    line = re.sub(r"\{(\w+)\}", lambda found: values[found.group(1)], reading)
    return re.sub(r"(?<=[ (])\*", "stand-in", line).replace("*", "").strip()

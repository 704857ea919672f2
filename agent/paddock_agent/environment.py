"""The environment that the agent started with, against the one that a fresh log-in would have.

A tool that was installed after the agent started is often put on the path by a start file or the registry: a running
process sees nothing of it. So the agent looks, says so, and takes it up when it is restarted.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .catalogue import Tool, built_in
from .system import System
from .system.paths import looked_up, path_separator, paths_of, variable
from .wire import Difference

MAX_DIFFERENCES = 50


def differences(system: System, fresh: Mapping[str, str], tools: Sequence[Tool] = ()) -> list[Difference]:
    """What a fresh log-in has and the agent has not: folders of PATH, and the homes of tools."""
    if not fresh:
        return []
    found = []
    if missing := missing_folders(system, fresh):
        found.append(Difference("PATH", "", path_separator(system).join(missing)[:2000]))
    for name in dict.fromkeys(name for tool in tools or built_in() for name in tool.home_variables):
        now, then = variable(system, name), looked_up(system, fresh, name)
        if then and now != then:
            found.append(Difference(name, now[:2000], then[:2000]))
    return found[:MAX_DIFFERENCES]


def missing_folders(system: System, fresh: Mapping[str, str]) -> list[str]:
    """The folders of the fresh PATH that the agent's lacks, in order."""
    separator = path_separator(system)
    known = {_plain(system, folder) for folder in variable(system, "PATH").split(separator)}
    folders = [folder for folder in looked_up(system, fresh, "PATH").split(separator) if paths_of(system).isabs(folder)]
    return [folder for folder in dict.fromkeys(folders) if _plain(system, folder) not in known]


def adopted(system: System, fresh: Mapping[str, str]) -> dict[str, str]:
    """What to set so that the agent has what a fresh log-in has; its own folders of PATH stay in front."""
    separator = path_separator(system)
    wanted = {one.name: one.fresh for one in differences(system, fresh) if one.name != "PATH"}
    if missing := missing_folders(system, fresh):
        wanted["PATH"] = separator.join([variable(system, "PATH"), *missing])
    return wanted


def _plain(system: System, folder: str) -> str:
    plain = folder.rstrip("\\/") or "/"
    return plain.lower() if system.family == "windows" else plain

"""Paths and variables in the way of the host's family, which need not be that of this machine."""

from __future__ import annotations

import ntpath
import posixpath
from collections.abc import Mapping
from types import ModuleType

from .port import System


def paths_of(system: System) -> ModuleType:
    """The path functions of the host's family."""
    return ntpath if system.family == "windows" else posixpath


def path_folders(system: System) -> list[str]:
    """The folders of PATH, in order, without repeats and relative ones."""
    paths = paths_of(system)
    entries = variable(system, "PATH").split(path_separator(system))
    return list(dict.fromkeys(entry.rstrip("\\/") or "/" for entry in entries if paths.isabs(entry)))


def path_separator(system: System) -> str:
    """What stands between the folders of PATH."""
    return ";" if system.family == "windows" else ":"


def variable(system: System, name: str) -> str:
    """An environment variable, "" where it is not set. Windows does not mind the case of its name."""
    return looked_up(system, system.environment(), name)


def looked_up(system: System, environment: Mapping[str, str], name: str) -> str:
    """The same in an environment that need not be the agent's."""
    if system.family == "windows":
        return next((value for key, value in environment.items() if key.upper() == name.upper()), "")
    return environment.get(name, "")

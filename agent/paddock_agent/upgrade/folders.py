"""The folders of the agent's versions, side by side, and the pointer to the one that runs."""

from __future__ import annotations

import contextlib

from ..errors import CommandFailed
from ..system import System
from ..system.paths import paths_of

COMPLETE = "complete"
"""A file that is written last into a version's folder: the hash of the agent's package, or nothing where a bring-up
script wrote it."""
POINTER = "current"


def folder_of(system: System, prefix: str, version: str) -> str:
    """Where a version is installed."""
    path: str = paths_of(system).join(prefix, f"agent-{version}")
    return path


def pointer_in(system: System, prefix: str) -> str:
    """The link to the version that runs."""
    path: str = paths_of(system).join(prefix, POINTER)
    return path


def python_in(system: System, folder: str) -> str:
    """The Python of an installed version."""
    names = ("Scripts", "python.exe") if system.family == "windows" else ("bin", "python")
    path: str = paths_of(system).join(folder, *names)
    return path


def current_folder(system: System, prefix: str) -> str:
    """The folder of the version that runs. Raises CommandFailed where the pointer leads nowhere."""
    pointer = pointer_in(system, prefix)
    folder = system.real_path(pointer)
    if folder == pointer or not system.executables(python_in(system, folder)):
        raise CommandFailed(f"{pointer} leads to no installed agent. Run the server's bring-up command on this host.")
    return folder


def is_complete(system: System, folder: str, sha256: str) -> bool:
    """Whether this very package was installed there to its end."""
    text = system.read_text(paths_of(system).join(folder, COMPLETE))
    return text is not None and text.strip() == sha256


def installed_folders(system: System, prefix: str) -> list[str]:
    """The folders of all versions, by name."""
    names = [name for name in system.folders_in(prefix) if name.startswith("agent-")]
    return [paths_of(system).join(prefix, name) for name in sorted(names)]


def remove_others(system: System, prefix: str, kept: set[str]) -> list[str]:
    """Removes the folders of versions that are not in ``kept``; returns them."""
    removed = [folder for folder in installed_folders(system, prefix) if folder not in kept]
    for folder in removed:
        with contextlib.suppress(CommandFailed):
            system.remove_folder(folder)
    return removed

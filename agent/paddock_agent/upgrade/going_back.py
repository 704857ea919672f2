"""Going back to the version from before, however the new one failed. Needs nothing of the agent's packages."""

from __future__ import annotations

import contextlib
import json

from ..doctor.note import Note
from ..errors import AgentError, CommandFailed
from ..last_words import FILE as LAST_WORDS
from ..replacing import MARK
from ..services import ServiceManager
from ..system import System
from ..system.paths import paths_of
from .folders import pointer_in
from .progress import Progress, UpgradeStep, remove_new, save_progress

RESERVE, RESERVE_BYTES = "upgrade-reserve", 32 * 1024 * 1024
"""Room in the agent's folder that is set aside before the switch: where the new version fills the disk, the old one
starts all the same."""
SAVED_KEY, KEY = "identity.json", "identity.json"


def prepare(system: System, note: Note, folder: str) -> None:
    """Sets aside what going back may need: the agent's key, and some room. Raises CommandFailed."""
    paths = paths_of(system)
    key = system.read_text_of(paths.join(note.home, KEY), note.account)
    if key is None or not _is_key(key):
        raise CommandFailed(f"The agent's key in {note.home} cannot be read.")
    system.write_text(paths.join(folder, SAVED_KEY), key, 0o600)
    clear(system, note)
    system.reserve(paths.join(note.home, RESERVE), RESERVE_BYTES)


async def go_back(
    system: System, note: Note, folder: str, manager: ServiceManager, progress: Progress, why: str
) -> Progress:
    """Points to the old folder, restores the key if it is gone, and restarts the service. Returns the end as it was
    saved. Raises CommandFailed where the pointer cannot be set: then the watch tries again."""
    evidence = await _evidence(system, note, manager, progress)
    clear(system, note)
    pointer = pointer_in(system, note.prefix)
    if system.real_path(pointer) != system.real_path(progress.before):
        system.point(pointer, progress.before)
    with contextlib.suppress(CommandFailed):
        _restore_key(system, note, folder)
    try:
        await manager.restart(note.service)
    except CommandFailed as error:
        why = f"{why} The version from before was not started: {error}"
    free(system, note)
    remove_new(system, progress)
    ended = progress.ended(UpgradeStep.WENT_BACK, why, evidence)
    with contextlib.suppress(CommandFailed):  # the disk may be full: what was done counts, and the watch says it later
        save_progress(system, folder, ended)
    return ended


def clear(system: System, note: Note) -> None:
    """Removes the reserve."""
    with contextlib.suppress(CommandFailed):
        system.remove_file(paths_of(system).join(note.home, RESERVE))


def free(system: System, note: Note) -> None:
    """The agent takes jobs again at once."""
    with contextlib.suppress(CommandFailed):
        system.remove_file(paths_of(system).join(note.home, MARK))


def _restore_key(system: System, note: Note, folder: str) -> None:
    """A key that can be read stays: it may have been changed on purpose."""
    paths = paths_of(system)
    place = paths.join(note.home, KEY)
    saved = system.read_text(paths.join(folder, SAVED_KEY))
    if saved is not None and not _is_key(system.read_text_of(place, note.account) or ""):
        system.write_private_for(place, saved, note.account)


def _is_key(text: str) -> bool:
    try:
        return bool(json.loads(text)["key"])
    except (ValueError, KeyError, TypeError):
        return False


def last_words(system: System, note: Note) -> str:
    """The agent's last lines."""
    return system.read_text_of(paths_of(system).join(note.home, LAST_WORDS), note.account) or ""


async def _evidence(system: System, note: Note, manager: ServiceManager, progress: Progress) -> tuple[str, ...]:
    """The last lines of the service, and those that the new version left. A file that was shortened since is new."""
    lines: list[str] = []
    with contextlib.suppress(AgentError):
        lines += (await manager.state(note.service)).evidence
    words = last_words(system, note)
    lines += words[progress.words_before if progress.words_before <= len(words) else 0 :].splitlines()[-8:]
    return tuple("".join(letter if letter.isprintable() else " " for letter in line) for line in lines)

"""Backups: what a manifest says, whether it can be believed, and which backups may go."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

FORMAT = 1
MAX_FILES = 5_000_000
DATABASE = "paddock.sqlite3"
FOLDERS = ("logs", "outputs")
"""What a backup holds beside the database and the sealed keys."""
_NAME = re.compile(r"paddock-\d{8}-\d{6}")
_SHA256 = re.compile(r"[0-9a-f]{64}")


class ManifestInvalid(Exception):
    """The manifest cannot be believed; the text says why."""


@dataclass(frozen=True)
class BackupFile:
    """A file of a backup: its path with ``/`` from the backup's folder, bytes, and SHA-256 in hexadecimal digits."""

    name: str
    size: int
    sha256: str


@dataclass(frozen=True)
class Manifest:
    """``made_at`` is in ISO 8601, UTC; ``version`` the program's; ``has_keys``: the sealed keys are among the files."""

    made_at: str
    version: str
    has_keys: bool
    files: tuple[BackupFile, ...]


def manifest_of(read: object) -> Manifest:
    """The manifest of what was read from its JSON. Raises ManifestInvalid: it is not trusted."""
    if not isinstance(read, Mapping) or read.get("format") != FORMAT:
        raise ManifestInvalid(f"It is not a manifest of format {FORMAT}.")
    files = read.get("files")
    if not isinstance(files, list) or len(files) > MAX_FILES:
        raise ManifestInvalid("It lists no files.")
    made_at, version, has_keys = read.get("made_at"), read.get("version"), read.get("has_keys")
    if not isinstance(made_at, str) or not isinstance(version, str) or not isinstance(has_keys, bool):
        raise ManifestInvalid("It does not say when and by which version it was made.")
    found = tuple(_file(one) for one in files)
    names = {one.name for one in found}
    if len(names) != len(found):
        raise ManifestInvalid("It lists a file twice.")
    if DATABASE not in names:
        raise ManifestInvalid("It lists no database.")
    return Manifest(made_at, version, has_keys, found)


def differences(manifest: Manifest, there: Mapping[str, tuple[int, str]]) -> list[str]:
    """What is wrong with the files that are ``there`` (size and SHA-256 by name), as sentences."""
    listed = {one.name: one for one in manifest.files}
    wrong = [f"{name} is missing." for name in listed if name not in there]
    wrong += [f"{name} is not in the manifest." for name in there if name not in listed]
    for name, one in listed.items():
        if name in there and there[name] != (one.size, one.sha256):
            is_short = there[name][0] < one.size
            wrong.append(f"{name} is {'shorter than' if is_short else 'not the same as'} when it was backed up.")
    return sorted(wrong)


def superfluous(names: Iterable[str], keep: int, just_made: str) -> list[str]:
    """The backups beyond the ``keep`` latest, by their names. The one that was ``just_made`` stays, even if the clock
    was set back since the others; what is not named as a backup is left alone."""
    others = sorted(name for name in names if _NAME.fullmatch(name) and name != just_made)
    return others[: max(0, len(others) - max(0, keep - 1))]


def _file(read: object) -> BackupFile:
    if not isinstance(read, Mapping):
        raise ManifestInvalid("An entry is not a file.")
    name, size, sha256 = read.get("name"), read.get("size"), read.get("sha256")
    if not isinstance(name, str) or not is_safe(name):
        raise ManifestInvalid(f"It names a file outside of the backup: {str(name)[:100]!r}.")
    if not isinstance(size, int) or size < 0 or not isinstance(sha256, str) or not _SHA256.fullmatch(sha256):
        raise ManifestInvalid(f"It has no size or hash of {name[:100]!r}.")
    return BackupFile(name, size, sha256)


def is_safe(name: str) -> bool:
    """Whether this names the database, the keys, or a file within one of the FOLDERS."""
    parts = name.split("/")
    if any(part in ("", ".", "..") or "\\" in part or "\0" in part for part in parts):
        return False
    return parts[0] in FOLDERS if len(parts) > 1 else name in (DATABASE, "keys.sealed")

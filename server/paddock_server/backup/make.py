"""Makes a backup of a data folder, of a living server as well."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path

from paddock_core.backups import DATABASE, FOLDERS, FORMAT, BackupFile, superfluous

from .. import __version__
from ..storage.copy import copy_database
from .keys import MIN_PASSPHRASE_LENGTH, sealed_keys

MANIFEST = "manifest.json"
KEYS = "keys.sealed"
PIECE_BYTES = 1024 * 1024
ENDED = (".gz",)
"""Files that are not written any more once they are there: they are linked where they can be."""


class BackupFailed(Exception):
    """There is no new backup; those before are as they were. The text says why."""


def make_backup(data: Path, target: Path, *, passphrase: str = "", keep: int = 0) -> Path:
    """A new folder in ``target`` with the database, the logs, the files and a manifest; with a ``passphrase`` the keys
    as well. ``keep`` is the number of backups that remain in ``target``; 0 keeps all. Raises BackupFailed, and removes
    the partial backup."""
    if passphrase and len(passphrase) < MIN_PASSPHRASE_LENGTH:
        raise BackupFailed(f"A passphrase has at least {MIN_PASSPHRASE_LENGTH} characters.")
    if target.resolve().is_relative_to(data.resolve()):
        raise BackupFailed(f"{target} is within the data folder. A backup lies elsewhere, best on another disk.")
    if not (data / DATABASE).is_file():
        raise BackupFailed(f"{data} has no database. Set PADDOCK_DATA to the server's data folder.")
    name = f"paddock-{datetime.now(UTC):%Y%m%d-%H%M%S}"
    made, fresh = target / name, target / f".{name}.part"
    try:
        target.mkdir(mode=0o700, parents=True, exist_ok=True)
        fresh.mkdir(mode=0o700)
        _fill(data, fresh, passphrase)
        fresh.rename(made)
        for old in superfluous((one.name for one in target.iterdir()), keep, name) if keep else []:
            if (target / old / MANIFEST).is_file():
                shutil.rmtree(target / old)
    except (OSError, sqlite3.Error) as error:
        shutil.rmtree(fresh, ignore_errors=True)
        raise BackupFailed(f"The backup to {target} failed: {error}. Backups from before are as they were.") from None
    return made


def _fill(data: Path, fresh: Path, passphrase: str) -> None:
    copy_database(data / DATABASE, fresh / DATABASE)
    for folder in FOLDERS:
        for source in _files(data / folder):
            file = fresh / folder / source.relative_to(data / folder)
            file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            with contextlib.suppress(FileNotFoundError):  # what the server removed in between
                _copy(source, file)
    listed = [described(fresh, file) for file in sorted(_files(fresh))]
    manifest = {
        "format": FORMAT, "made_at": datetime.now(UTC).isoformat(timespec="seconds"), "version": __version__,
        "has_keys": bool(passphrase), "files": [asdict(one) for one in listed],
    }  # fmt: skip
    text = json.dumps(manifest, indent=1).encode()
    if passphrase:
        (fresh / KEYS).write_bytes(sealed_keys(data, hashlib.sha256(text).hexdigest(), passphrase))
    (fresh / MANIFEST).write_bytes(text)
    for place in [fresh, *fresh.rglob("*")]:
        place.chmod(0o700 if place.is_dir() else 0o600)
        _to_disk(place)


def _copy(source: Path, target: Path) -> None:
    if source.suffix in ENDED:
        with contextlib.suppress(OSError):
            os.link(source, target)
            return
    size = source.stat().st_size  # a log may grow while it is copied
    with source.open("rb") as data, target.open("xb") as out:
        while size > 0 and (piece := data.read(min(PIECE_BYTES, size))):
            out.write(piece)
            size -= len(piece)


def described(folder: Path, file: Path) -> BackupFile:
    """Size and hash of a file of a backup."""
    with file.open("rb") as data:
        digest = hashlib.file_digest(data, "sha256").hexdigest()
    return BackupFile(file.relative_to(folder).as_posix(), file.stat().st_size, digest)


def _files(folder: Path) -> Iterator[Path]:
    for place, _, names in os.walk(folder):
        for name in names:
            file = Path(place) / name
            if file.is_file() and not file.is_symlink():
                yield file


def _to_disk(place: Path) -> None:
    handle = os.open(place, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)

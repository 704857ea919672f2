"""Checks a backup, and restores it into the data folder of a stopped server."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import shutil
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

from paddock_core.backups import DATABASE, FOLDERS, Manifest, ManifestInvalid, differences, manifest_of

from ..storage.migrate import later_migrations
from .keys import NAMES, WrongPassphrase, opened_keys
from .make import KEYS, MANIFEST, described

MAX_MANIFEST_BYTES = 2_000_000_000
MAX_SHOWN = 10


class RestoreFailed(Exception):
    """Nothing was restored, and the data folder is as it was. The text says why."""


def check_backup(backup: Path, passphrase: str = "") -> Manifest:
    """Compares every file with the manifest, and asks the database about itself. With the ``passphrase`` also whether
    the manifest is the one that was written. Raises RestoreFailed with what is wrong."""
    text, manifest = _manifest(backup)
    there = {}
    for place, folders, names in os.walk(backup):
        for name in (*folders, *names):
            if (Path(place) / name).is_symlink():
                raise RestoreFailed(f"{Path(place) / name} is a link. A backup has none.")
        for name in names:
            file = Path(place) / name
            if file.parent != backup or name not in (MANIFEST, KEYS):
                one = described(backup, file)
                there[one.name] = (one.size, one.sha256)
    if wrong := differences(manifest, there):
        more = f" And {len(wrong) - MAX_SHOWN} more." if len(wrong) > MAX_SHOWN else ""
        raise RestoreFailed(f"{backup} is damaged: {' '.join(wrong[:MAX_SHOWN])}{more}")
    if passphrase:
        _keys(backup, manifest, text, passphrase)
    _demand_sound(backup / DATABASE)
    return manifest


def restore(backup: Path, data: Path, *, passphrase: str = "", replace: bool = False) -> Path | None:
    """Restores a checked backup. The caller holds the data folder. With ``replace``, what is there goes into a folder
    of its own beside, whose place is returned. Raises RestoreFailed."""
    text, manifest = _manifest(backup)
    keys = _keys(backup, manifest, text, passphrase) if passphrase else {}
    check_backup(backup)
    present = [one for one in (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm", "time-line.json", *FOLDERS)
               if (data / one).exists()]  # fmt: skip
    if present and not replace:
        raise RestoreFailed(
            f"{data} has a database already. Restore into an empty folder, or with --replace, which moves what is "
            "there into a folder beside it."
        )
    fresh = data / ".restore"
    aside = data / f"before-restore-{datetime.now(UTC):%Y%m%d-%H%M%S}" if present else None
    try:
        shutil.rmtree(fresh, ignore_errors=True)
        for one in manifest.files:
            target = fresh / one.name
            target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            shutil.copyfile(backup / one.name, target)
            target.chmod(0o600)
        if aside:
            aside.mkdir(mode=0o700)
            for name in (*present, *(key for key in keys if (data / key).exists())):
                (data / name).rename(aside / name)
        for place in list(fresh.iterdir()):
            place.rename(data / place.name)
        for name, value in keys.items():
            handle = os.open(data / name, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(handle, "w") as out:
                out.write(value)
    except OSError as error:
        shutil.rmtree(fresh, ignore_errors=True)
        _put_back(aside, data)
        raise RestoreFailed(
            f"The backup could not be restored into {data}: {error}. What was there is there."
        ) from None
    shutil.rmtree(fresh, ignore_errors=True)
    return aside


def _put_back(aside: Path | None, data: Path) -> None:
    for place in list(aside.iterdir()) if aside and aside.is_dir() else []:
        target = data / place.name
        if target.is_dir():
            shutil.rmtree(target)
        place.rename(target)
    if aside:
        with contextlib.suppress(OSError):
            aside.rmdir()


def _manifest(backup: Path) -> tuple[bytes, Manifest]:
    try:
        if (backup / MANIFEST).stat().st_size > MAX_MANIFEST_BYTES:
            raise RestoreFailed(f"The manifest of {backup} is too large.")
        text = (backup / MANIFEST).read_bytes()
        return text, manifest_of(json.loads(text))
    except FileNotFoundError:
        raise RestoreFailed(f"{backup} is not a backup: it has no {MANIFEST}.") from None
    except OSError as error:
        raise RestoreFailed(f"{backup} cannot be read: {error}.") from None
    except (ValueError, RecursionError):
        raise RestoreFailed(f"The manifest of {backup} is damaged: it is not JSON.") from None
    except ManifestInvalid as error:
        raise RestoreFailed(f"The manifest of {backup} is damaged: {error}") from None


def _keys(backup: Path, manifest: Manifest, text: bytes, passphrase: str) -> dict[str, str]:
    if not manifest.has_keys:
        raise RestoreFailed(f"{backup} was made without keys. Restore it without a passphrase.")
    try:
        belongs_to, keys = opened_keys((backup / KEYS).read_bytes(), passphrase)
    except (WrongPassphrase, OSError) as error:
        raise RestoreFailed(str(error)) from None
    if belongs_to != hashlib.sha256(text).hexdigest():
        raise RestoreFailed(f"The manifest of {backup} was changed after the backup was made. It is not restored.")
    return {name: value for name, value in keys.items() if name in NAMES}


def _demand_sound(database: Path) -> None:
    try:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro&immutable=1", uri=True)) as opened:
            verdict = opened.execute("PRAGMA integrity_check(1)").fetchone()[0]
            applied = set(opened.execute("SELECT app, name FROM django_migrations"))
    except sqlite3.Error as error:
        raise RestoreFailed(f"The database of the backup cannot be read: {error}.") from None
    if verdict != "ok":
        raise RestoreFailed(f"The database of the backup is damaged: {verdict}.")
    if later := later_migrations(applied):
        raise RestoreFailed(
            f"The backup is of a later version than this program (it has {later[0][0]} {later[0][1]}). Install that "
            "version, and restore with it."
        )
